// Tracks and the solve: what is drawn of them on the plate, and their part of the camera's sheet.
import { mark } from './marks.js';
import { get, post } from './api.js';
import { drawMattes } from './mattes.js';
import { changed, choose, on, save, setHand, state, tell } from './state.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
export const tracks = { live: [], solve: null };

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
    await save(async (d) => {
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

const place = (id, act) => setHand((p) => edit({ do: act, track: id, x: p.x, y: p.y }));
export const hands = {
  placeTrack: () => setHand((p) => edit({ do: 'place', x: p.x, y: p.y })),
  correctTrack: (id) => place(Number(id), 'move'),
  cutTrack: (id) => edit({ do: 'cut', track: Number(id) }),
  joinTrack: (id) =>
    setHand((p) => {
      const away = (t) => Math.hypot(t.x - p.x, t.y - p.y),
        other = tracks.live.filter((t) => t.id !== Number(id)).sort((a, b) => away(a) - away(b))[0];
      return other && edit({ do: 'join', track: Number(id), other: other.id });
    }),
  surveyTrack: (id) => survey(Number(id)),
  deleteTrack: (id) => edit({ do: 'delete', track: Number(id) }),
  async leaveOut(ids) {
    const go = JSON.parse(ids);
    const good = await save((d) => {
      d.solving.leftOut = [...new Set([...d.solving.leftOut, ...go])];
      return d;
    });
    if (!good) return;
    choose('threshold:');
    try {
      await post(api('solve'), {});
      tell('jobs-now');
    } catch (e) {
      tell('told', e);
    }
  },
};

// The camera's place or turn over the range, as three curves; a pop stands out.
export function cameraCurves() {
  const s = tracks.solve;
  const which = state.page.curve ?? 'rms';
  if (state.step !== 2 || !s || which === 'rms') return null;
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
