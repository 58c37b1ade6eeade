// The chosen thing is moved along axes, turned on rings and sized in the picture; its way over the frames is drawn, a tick a frame.
import { get } from './api.js';
import { refresh } from './comp.js';
import { setAt } from './keys.js';
import { kept } from './over.js';
import { along, angleOn } from './shapes.js';
import { on, save, show, state, tell } from './state.js';
import { guarded } from './told.js';
import { apart, view } from './view.js';

const lists = { 3: ['pieces', 'piece'], 5: ['lights', 'light'], 6: ['elements', 'element'] };
export const held = { now: null, of: '' };

function chosen() {
  const [list, kind] = lists[state.step] ?? [];
  if (!list || !state.document) return null;
  const all = state.document[list],
    x = all.find((q) => q.id === state.chosen[kind]) ?? (all.length === 1 ? all[0] : null);
  if (!x || x.locked || x.kind === 'Rendered' || (list === 'lights' && !['Point', 'Spot', 'Rectangle'].includes(x.kind))) return null;
  return `${list}/${x.id}`;
}

async function ask() {
  const what = state.page.handles && state.document?.camera && !state.playing ? chosen() : null,
    key = what ? `${what}@${state.frame}:${state.revision}` : '';
  if (key === held.of) return;
  Object.assign(held, { of: key, now: held.now?.what === what ? held.now : null });
  if (!what) return tell('draw');
  try {
    const now = await get(
      `/api/shots/${state.id}/handles?what=${encodeURIComponent(what)}&frame=${state.frame}&revision=${state.revision}`,
    );
    if (held.of !== key) return;
    held.now = now && { ...now, what, revision: state.revision };
  } catch {
    held.now = null;
  }
  tell('draw');
}
for (const t of ['frame', 'document', 'chosen', 'step']) on(t, ask);

export function toggle() {
  if (state.page.handles) delete state.page.handles;
  else state.page.handles = '1';
  ask();
}
export const hands = { handles: toggle };

const names = ['x', 'y', 'z'];
export function draw({ at, xy, both, thin, label }) {
  const h = held.now;
  if (!h?.at || !state.page.handles) return [];
  const parts = [],
    line = (points, closed) => {
      let d = '';
      for (let i = 0; i < points.length + (closed ? 1 : 0); i++) {
        const p = points[i % points.length];
        if (p) d += `${i > 0 && points[i - 1] && d ? 'L' : 'M'}${at(...p)}`;
      }
      return d;
    };
  if (h.way.length) {
    const seen = h.way.map((s) => s.seen);
    parts.push(thin(line(seen), 0.9, 1.2, ''));
    let ticks = '';
    for (const s of h.way.filter((q) => q.seen)) {
      const [x, y] = xy(...s.seen),
        r = s.frame === state.frame ? 6 : s.frame % 10 ? 2 : 4;
      ticks += `M${x - r} ${y}h${2 * r}M${x} ${y - r}v${2 * r}`;
    }
    parts.push(both(ticks, 1, ''));
    const here = h.way.find((s) => s.frame === state.frame);
    if (here?.seen) {
      const [x, y] = xy(...here.seen);
      parts.push(label(x + 14, y + 38, `${here.metresPerSecond.toFixed(2)} m/s`));
    }
  }
  h.rings.forEach((r) => parts.push(both(line(r.seen, true), held.grip === `ring ${r.part}` ? 2.4 : 1.1, ['', '7 4', '2 3'][r.part])));
  h.arms.forEach((a, i) => {
    if (!a.to) return;
    const [x, y] = xy(...a.to);
    parts.push(both(`M${at(...h.at)}L${x} ${y}`, held.grip === `arm ${i}` ? 2.8 : 1.5, ''));
    parts.push(label(x + 4, y - 4, names[i]));
  });
  const corner = sizeGrip(h);
  if (corner) {
    const [x, y] = xy(...corner);
    parts.push(both(`M${x - 9} ${y}h9v-9`, held.grip === 'size' ? 2.8 : 1.5, ''));
    parts.push(label(x + 5, y + 4, 'size'));
  }
  return parts;
}

// Where it is sized: as far off its place as its longest arm, below and beside it.
function sizeGrip(h) {
  if (!h.size) return null;
  const far = Math.max(...h.arms.filter((a) => a.to).map((a) => apart({ x: h.at[0], y: h.at[1] }, { x: a.to[0], y: a.to[1] })), 0);
  return far > 0 ? [h.at[0] + 0.75 * far, h.at[1] + 0.75 * far] : null;
}

// Shown as fast as answers come; kept where it is let go.
function grip(name, change) {
  let last = null,
    busy = false;
  held.grip = name;
  const step = guarded(async () => {
    if (busy) return;
    busy = true;
    while (last) {
      const to = last;
      last = null;
      show((d) => change(d, to));
      tell('draw');
      await refresh();
    }
    busy = false;
  });
  let to = null;
  return {
    move(p) {
      to = last = p;
      step();
    },
    async release() {
      held.grip = null;
      last = null;
      if (to) await save((d) => change(d, to));
      tell('draw');
    },
  };
}

export function press(p) {
  const h = held.now;
  if (!h?.at || !state.page.handles) return null;
  const near = 7 / view.zoom,
    arm = h.arms.findIndex((a) => a.to && along(h.at, a.to, p).off < near && apart({ x: h.at[0], y: h.at[1] }, p) > 9);
  if (arm >= 0) {
    const { to, along: way } = h.arms[arm],
      from = along(h.at, to, p).t;
    return grip(`arm ${arm}`, (d, q) => {
      const metres = 1.25 * h.metres * (along(h.at, to, q).t - from);
      return setAt(
        d,
        `${h.what}/position`,
        kept(
          h.what,
          h.position.map((v, i) => v + metres * way[i]),
        ),
      );
    });
  }
  const corner = sizeGrip(h);
  if (corner && apart({ x: corner[0], y: corner[1] }, p) < 10 / view.zoom) {
    const middle = { x: h.at[0], y: h.at[1] },
      from = apart(middle, p);
    return grip('size', (d, q) => setAt(d, `${h.what}/scale`, h.size * Math.max(0.01, apart(middle, q) / from)));
  }
  const ring = h.rings.find((r) => angleOn(r.seen, p).off < near);
  if (!ring) return null;
  const from = angleOn(ring.seen, p).degrees;
  let by = 0;
  return grip(`ring ${ring.part}`, (d, q) => {
    // It goes on past a half turn: never further than that from one move to the next.
    const next = angleOn(ring.seen, q).degrees - from;
    by = next + 360 * Math.round((by - next) / 360);
    return setAt(
      d,
      `${h.what}/rotationYxzDegrees`,
      h.turn.map((v, i) => (i === ring.part ? v + by : v)),
    );
  });
}
