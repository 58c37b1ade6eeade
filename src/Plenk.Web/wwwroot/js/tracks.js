// Tracks and the solve: what is drawn of them on the plate, and their part of the camera's sheet.
import { mark } from './marks.js';
import { get, post } from './api.js';
import { button, choice, h, heading, number, quiet, tick } from './build.js';
import { drawMattes, matteTools } from './mattes.js';
import { changed, on, save, setHand, state, tell } from './state.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
export const tracks = { live: [], solve: null, threshold: null, curve: 'rms' };
const settings = { count: 500, distance: 12 };

let asked = 0;
export async function refreshTracks() {
  const mine = ++asked;
  if (state.step !== 2 || !state.document?.tracks || state.playing) {
    tracks.live = [];
    tell('draw');
    return;
  }
  try {
    const live = await get(`${api(`frames/${state.frame}/tracks`)}?revision=${state.revision}`);
    if (mine !== asked) return;
    tracks.live = live;
    tracks.last = live.find((t) => t.id === state.chosen.track) || tracks.last;
    tell('draw');
    tell('tracks');
  } catch {
    tracks.live = [];
  }
}

async function refreshSolve() {
  const { revision } = state;
  if (!state.document.solve) {
    tracks.solve = null;
    tell('solve');
    return;
  }
  try {
    const s = await get(`${api('solve')}?revision=${revision}`);
    if (revision !== state.revision) return;
    tracks.solve = s.solved ? s : null;
    tell('solve');
  } catch {
    tracks.solve = null;
  }
}

// The mark of a track: an open ring that grows with its error; a cross for one that was left out, a square for one held out.
export function drawTracks({ at, both, label }) {
  const parts = [],
    chosen = state.chosen.track;
  let tails = '';
  for (const t of tracks.live) {
    for (let i = 0; i < t.tail.length; i += 2) tails += `${i ? 'L' : 'M'}${at(t.tail[i], t.tail[i + 1])}`;
  }
  parts.push(
    mark`<path d="${tails}" fill="none" stroke="#000" stroke-opacity=".4" stroke-width="2"/><path d="${tails}" fill="none" stroke="#fff" stroke-opacity=".75" stroke-width=".8"/>`,
  );
  const marks = { thin: '', heavy: '' };
  for (const t of tracks.live) {
    const [x, y] = at(t.x, t.y).split(' ').map(Number),
      r = Math.min(14, 2.2 + 5 * (t.rms ?? 0));
    const shape =
      t.fate === 'left out' || t.fate === 'cleaned'
        ? `M${x - 3.5} ${y - 3.5}l7 7m0 -7l-7 7`
        : t.fate === 'held out'
          ? `M${x - 3} ${y - 3}h6v6h-6z`
          : `M${x - r} ${y}a${r} ${r} 0 1 0 ${2 * r} 0a${r} ${r} 0 1 0 ${-2 * r} 0`;
    const d = `${shape}${t.hand ? `M${x} ${y + r + 1}v5` : ''}`;
    if (t.id === chosen) {
      parts.push(both(d, 2, ''), label(x + 9, y - 7, `${t.id}`));
    } else marks[(t.rms ?? 0) > 1 ? 'heavy' : 'thin'] += d;
  }
  parts.push(both(marks.thin, 0.9, ''), both(marks.heavy, 1.7, ''), ...drawMattes({ at, both }, state.document.mattes || []));
  return parts;
}

export function trackNear(p, zoom) {
  const near = tracks.live.map((t) => ({ t, d: Math.hypot(t.x - p.x, t.y - p.y) * zoom })).sort((a, b) => a.d - b.d)[0];
  return near?.d < 11 ? near.t : null;
}

async function edit(change) {
  try {
    const r = await changed('tracks/edit', { edit: { frame: state.frame, x: 0, y: 0, ...change } });
    state.chosen.track = change.do === 'delete' ? null : r.track;
    tell('chosen');
    tell('told', null);
  } catch (e) {
    tell('told', e);
  }
}

// A track's mark is carried along with the pointer; where it is let go the track is corrected in this frame.
export function carryTrack(id, p) {
  const t = tracks.live.find((x) => x.id === id);
  if (!t) return;
  Object.assign(t, { x: p.x, y: p.y });
  t.tail.splice(-2, 2, p.x, p.y);
  tell('draw');
}
export const correctTrack = (id) => {
  const t = tracks.live.find((x) => x.id === id);
  return t && edit({ do: 'move', track: id, x: t.x, y: t.y });
};

// A track becomes a survey point: up to eight of its places are the point's clicks, and they say where it is.
async function survey(id) {
  try {
    const { points } = await get(`${api(`tracks/${id}`)}?revision=${state.revision}`),
      { first, last } = state.document.range;
    const seen = points.filter((p) => p.frame >= first && p.frame <= last),
      n = Math.min(8, seen.length);
    const clicks = Array.from({ length: n }, (_, i) => seen[Math.round((i * (seen.length - 1)) / Math.max(1, n - 1))]).map(
      ({ frame, x, y }) => ({ frame, x, y }),
    );
    const name = `T${id}`;
    await save(`Survey point ${name} from track ${id}`, async (d) => {
      const point = { name, position: null, fromClicks: true, clicks };
      d.surveyPoints = [...d.surveyPoints.filter((p) => p.name !== name), point];
      if (d.camera) point.position = (await post(api(`survey/${name}/locate`), { document: d })).position;
      state.chosen.point = name;
      return d;
    });
  } catch (e) {
    tell('told', e);
  }
}

async function begin(path, body) {
  try {
    await post(api(path), body);
    tell('told', null);
    tell('jobs-now');
  } catch (e) {
    tell('told', e);
  }
}

const choose = (what, change) =>
  save(what, (d) => {
    change(d.solving);
    return d;
  });

// What would go at a threshold, and the RMS of what stays: by the solve as it is, before anything goes.
function cleaning(solve) {
  const sorted = solve.tracks.map((t) => t.rms).sort((a, b) => a - b);
  tracks.threshold ??= Math.max(0.3, Math.round(20 * sorted[Math.floor(0.95 * (sorted.length - 1))]) / 20);
  const go = solve.tracks.filter((t) => t.rms > tracks.threshold),
    stay = solve.tracks.filter((t) => t.rms <= tracks.threshold);
  const rms = Math.sqrt(
    stay.reduce((s, t) => s + t.rms * t.rms * t.seen, 0) /
      Math.max(
        1,
        stay.reduce((s, t) => s + t.seen, 0),
      ),
  );
  const least = solve.turning ? 12 : 20,
    few = stay.length < least;
  return [
    heading('Clean'),
    number(
      'Leave out tracks over',
      tracks.threshold,
      'px',
      (v) => {
        tracks.threshold = v;
        tell('chosen');
      },
      { min: 0.01 },
    ),
    h(
      'p',
      { id: 'cleaning' },
      few
        ? `Only ${stay.length} tracks would stay; a solve needs ${least}.`
        : go.length
          ? `${go.length} of ${solve.tracks.length} tracks would go; ${solve.rmsPx.toFixed(3)} px would become about ${rms.toFixed(3)} px.`
          : 'No track is over it.',
    ),
    h(
      'div',
      { class: 'actions' },
      button(
        'Leave them out and solve again',
        async () => {
          if (
            await choose(`${go.length} tracks over ${tracks.threshold} px left out`, (s) => {
              s.leftOut = [...new Set([...(s.leftOut || []), ...go.map((t) => t.id)])];
            })
          ) {
            tracks.threshold = null;
            await begin('solve', {});
          }
        },
        { disabled: few || !go.length },
      ),
    ),
  ];
}

function report(s) {
  const lines = [
    `${s.rmsPx.toFixed(3)} px over ${s.tracks.length} tracks${s.turning ? ', turning' : ''}`,
    `focal length ${s.focalMm.toFixed(3)} mm${s.focalDoubtMm ? ` ± ${s.focalDoubtMm.toFixed(3)}` : ', held'}`,
    `k1 ${s.k1.toFixed(4)}  k2 ${s.k2.toFixed(4)}`,
  ];
  if (s.report)
    lines.push(
      `last adjustment: cost ${s.report.startCost.toFixed(1)} → ${s.report.endCost.toFixed(1)} in ${s.report.iterations} steps, until ${s.report.stopped}`,
    );
  if (s.heldOut) lines.push(`held out: ${s.heldOut.tracks} tracks, middle error ${s.heldOut.medianPx.toFixed(2)} px`);
  for (const l of s.leftOut) lines.push(`left out: ${l.tracks}, ${l.tracks === 1 ? `it ${l.why}` : `each ${l.why}`}`);
  return h('ul', { id: 'solve-report', class: 'plain' }, ...lines.map((l) => h('li', {}, l)));
}

export function trackSection() {
  const d = state.document,
    t = tracks.live.find((x) => x.id === state.chosen.track) || (tracks.last?.id === state.chosen.track ? tracks.last : null),
    s = tracks.solve,
    way = d.solving || {};
  if (!d.plate) return [];
  return [
    heading('Tracks'),
    d.tracks
      ? h('p', { class: 'num' }, `${d.tracks.count} tracks, ${tracks.live.length} live at ${state.frame}`)
      : quiet('Nothing is tracked yet. Features are found all over the frame and followed both ways.'),
    number(
      'Keep alive',
      settings.count,
      '',
      (v) => {
        settings.count = Math.round(v);
      },
      { min: 20, max: 5000 },
    ),
    number(
      'Apart by',
      settings.distance,
      'px',
      (v) => {
        settings.distance = v;
      },
      { min: 3, max: 200 },
    ),
    h(
      'div',
      { class: 'actions' },
      button(d.tracks ? 'Track again' : 'Track the plate', () => begin('track', settings), { next: !d.tracks && !d.camera }),
      button('Place a track', () => setHand((p) => edit({ do: 'place', x: p.x, y: p.y }))),
    ),
    ...(t
      ? [
          h(
            'p',
            { class: 'num' },
            `track ${t.id}: ${t.first}–${t.last}${t.rms === null ? '' : `, ${t.rms.toFixed(2)} px`}, ${t.fate}${t.ended ? `; ended: ${t.ended}` : ''}`,
          ),
          h(
            'div',
            { class: 'actions' },
            button(`Correct it at ${state.frame}`, () => setHand((p) => edit({ do: 'move', track: t.id, x: p.x, y: p.y }))),
            button(`Cut it after ${state.frame}`, () => edit({ do: 'cut', track: t.id })),
            button('Join with the next I click', () =>
              setHand((p) => {
                const o = tracks.live
                  .filter((x) => x.id !== t.id)
                  .sort((a, b) => Math.hypot(a.x - p.x, a.y - p.y) - Math.hypot(b.x - p.x, b.y - p.y))[0];
                return o && edit({ do: 'join', track: t.id, other: o.id });
              }),
            ),
            button('Make it a survey point', () => survey(t.id)),
            button('Delete it', () => edit({ do: 'delete', track: t.id })),
          ),
        ]
      : []),
    heading('Mattes'),
    ...matteTools(),
    ...solveSection(d, way, s),
  ].filter(Boolean);
}

const solveSection = (d, way, s) => [
  ...(d.tracks
    ? [
        heading('Solve'),
        choice(
          'The camera',
          way.turns ? 'turns' : 'travels',
          [
            ['travels', 'travels'],
            ['turns', 'turns on a tripod'],
          ],
          (v) =>
            choose('How the camera moves', (x) => {
              x.turns = v === 'turns';
            }),
        ),
        choice(
          'Focal length',
          way.holdFocal ? 'hold' : 'find',
          [
            ['find', 'is found'],
            ['hold', d.plate.focalMm ? `${d.plate.focalMm} mm, held` : 'the plate’s, held'],
          ],
          (v) =>
            choose('Focal length', (x) => {
              x.holdFocal = v === 'hold';
            }),
        ),
        tick('It zooms: every frame has its own', way.zooms, (v) =>
          choose('Zoom', (x) => {
            x.zooms = v;
          }),
        ),
        choice(
          'Lens',
          way.refineLens || 'k1k2',
          [
            ['none', 'none'],
            ['k1', 'k1'],
            ['k1k2', 'k1 and k2'],
          ],
          (v) =>
            choose('Lens', (x) => {
              x.refineLens = v;
            }),
        ),
        tick('find the principal point too', !!way.refinePrincipalPoint, (v) =>
          choose('Principal point', (x) => {
            x.refinePrincipalPoint = v;
          }),
        ),
        h(
          'div',
          { class: 'actions' },
          button(d.solve ? 'Solve again' : 'Solve the camera', () => begin('solve', {}), { next: !d.solve }),
          way.leftOut?.length
            ? button(`Take ${way.leftOut.length} back in`, () =>
                choose('Left-out tracks taken back', (x) => {
                  x.leftOut = [];
                }),
              )
            : null,
        ),
      ]
    : []),
  ...(s
    ? [
        report(s),
        choice(
          'In the rail',
          tracks.curve,
          [
            ['rms', 'a reading'],
            ['place', 'the camera’s place'],
            ['turn', 'the camera’s turn'],
            ...(s.zooms ? [['focal', 'the focal length']] : []),
          ],
          (v) => {
            tracks.curve = v;
            tell('chosen');
          },
        ),
        ...cleaning(s),
      ]
    : []),
];

// The camera's place or turn over the range, as three curves; a pop stands out.
export function cameraCurves() {
  const s = tracks.solve;
  if (state.step !== 2 || !s || tracks.curve === 'rms') return null;
  const which = tracks.curve;
  if (which === 'focal')
    return { name: 'Focal length, mm', curves: [{ axis: 'mm', points: s.frames.map((f) => ({ frame: f.frame, value: f.focalMm })) }] };
  return {
    name: which === 'place' ? 'Camera’s place since the first frame, in the solve’s unit' : 'Camera’s turn since the first frame, degrees',
    curves: ['x', 'y', 'z'].map((axis, i) => ({ axis, points: s.frames.map((f) => ({ frame: f.frame, value: f[which][i] })) })),
  };
}

on('document', () => {
  refreshTracks();
  refreshSolve();
});
on('frame', refreshTracks);
on('step', refreshTracks);
