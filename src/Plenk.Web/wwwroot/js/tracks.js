// Tracks and the solve: what is drawn of them on the plate, and their part of the camera's sheet.
import { mark } from './marks.js';
import { get, post } from './api.js';
import { magnify } from './lens.js';
import { changed, choose, on, save, setHand, state, tell } from './state.js';
import { lasso } from './lasso.js';
import { guarded, say, words } from './told.js';
import { apart } from './view.js';

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
export function draw({ at, xy, both, label }) {
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
    const [x, y] = xy(t.x, t.y),
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
  parts.push(both(marks.thin, 0.9, ''), both(marks.heavy, 1.7, ''));
  return parts;
}

function under(p) {
  const near = tracks.live.map((t) => ({ t, d: apart(t, p) })).sort((a, b) => a.d - b.d)[0];
  return near?.d < 11 ? near.t : null;
}
export function hover(p) {
  const t = p && under(p);
  if (t) magnify(t, `${t.id} · ${t.first}–${t.last}${t.rms === null ? '' : ` · ${t.rms.toFixed(2)} px`} · ${t.fate}`);
  else magnify(null);
}
// A track is chosen by its mark; the mark is carried along with the pointer, and where it is let go the track is corrected in this frame.
export function press(p) {
  const t = under(p);
  let moved = false;
  if (t || state.chosen.track) {
    state.chosen.track = t?.id ?? null;
    tell('chosen');
  }
  return (
    t && {
      move(q) {
        moved ||= apart(p, q) > 4;
        const now = moved && tracks.live.find((x) => x.id === t.id);
        if (!now) return;
        Object.assign(now, { x: q.x, y: q.y });
        now.tail.splice(-2, 2, q.x, q.y);
        tell('draw');
        hover(q);
      },
      release(q) {
        if (moved) edit({ do: 'move', track: t.id, x: q.x, y: q.y });
      },
    }
  );
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

// A track becomes a survey point; tracks inside a loop become the floor.
const survey = guarded(async (track) => {
  const { point } = await changed('tracks/survey', { track });
  choose(`point:${point}`);
});
const floor = () => {
  say('floor-circle');
  lasso(
    guarded(async (inside) => {
      const r = await changed('tracks/floor', { tracks: tracks.live.filter(inside).map((t) => t.id) });
      say('floor-named', { on: r.on, of: r.of, named: r.names.length, off: (100 * r.offShare).toFixed(2) });
    }),
  );
};

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
  floorTracks: floor,
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
export function curve() {
  const s = tracks.solve;
  const which = state.page.curve ?? 'rms';
  if (!s || which === 'rms') return null;
  if (which === 'focal')
    return {
      name: words('curve-focal').message,
      curves: [{ axis: 'mm', points: s.frames.map((f) => ({ frame: f.frame, value: f.focalMm })) }],
    };
  return {
    name: words(`curve-${which}`).message,
    curves: ['x', 'y', 'z'].map((axis, i) => ({ axis, points: s.frames.map((f) => ({ frame: f.frame, value: f[which][i] })) })),
  };
}

on('document', () => {
  refreshTracks();
  refreshSolve();
});
on('frame', refreshTracks);
on('step', refreshTracks);
