// The outline of a drawn matte in the picture: its curve, points, handles and soft edges, pulled by hand; points are put in and taken away.
import { get } from './api.js';
import { has, keyHere, straightAt } from './keys.js';
import { inside } from './shapes.js';
import { changed, inLine, on, save, setFrame, setHand, state, tell } from './state.js';
import { guarded } from './told.js';
import { apart, view } from './view.js';

let pulled = null; // { matte, shape } while a point is held

// Where a carried shape is: asked of the server, which knows its motion; a plain one is straight between its keys.
const carried = new Map();
const none = { corners: [] };
export function shapeAt(m, frame) {
  if (pulled?.matte === m.id && frame === state.frame) return pulled.shape;
  if (!m.motion)
    return {
      corners: straightAt(m.keys, 'corners', frame) ?? [],
      handles: straightAt(m.keys, 'handles', frame),
      feathers: straightAt(m.keys, 'feathers', frame),
    };
  const key = `${m.id}/${frame}/${state.revision}`;
  if (!carried.has(key)) {
    carried.set(key, none);
    if (carried.size > 400) carried.delete(carried.keys().next().value);
    inLine(() => get(`/api/shots/${state.id}/mattes/${encodeURIComponent(m.id)}/outline?frame=${frame}&revision=${state.revision}`))
      .then((o) => {
        carried.set(key, o);
        tell('draw');
      })
      .catch(() => {});
  }
  return carried.get(key);
}

// Points as [x, y, in x, in y, out x, out y] of the picture.
export const points = ({ corners, handles }) =>
  corners
    .flatMap((x, i) => (i % 2 ? [] : [[x, corners[i + 1], ...[0, 1, 2, 3].map((k) => handles?.[2 * i + k] ?? 0)]]))
    .map(([x, y, a, b, c, d]) => ({ x, y, in: { x: x + a, y: y + b }, out: { x: x + c, y: y + d }, bends: a || b || c || d }));

export function path(shape, open, at) {
  const p = points(shape);
  let d = '';
  p.forEach((q, i) => {
    if (!i) d = `M${at(q.x, q.y)}`;
    else d += part(p[i - 1], q, at);
  });
  return open ? d : `${d}${part(p.at(-1), p[0], at)}Z`;
}
const part = (a, b, at) => (a.bends || b.bends ? `C${at(a.out.x, a.out.y)} ${at(b.in.x, b.in.y)} ${at(b.x, b.y)}` : `L${at(b.x, b.y)}`);

const ring = (x, y, r) => `M${x - r} ${y}a${r} ${r} 0 1 0 ${2 * r} 0a${r} ${r} 0 1 0 ${-2 * r} 0`;

export function draw({ at, xy, both }) {
  const parts = [];
  for (const m of state.document.mattes || []) {
    if ((m.kind ?? 'Drawn') !== 'Drawn' || (state.step !== 2 && m.id !== state.chosen.matte)) continue;
    const shape = shapeAt(m, state.frame);
    if (shape.corners.length < (m.open ? 4 : 6)) continue;
    const mine = m.id === state.chosen.matte;
    parts.push(both(path(shape, m.open, at), mine ? 1.8 : 1, m.off ? '1 4' : '7 3'));
    if (mine) points(shape).forEach((p, i) => parts.push(...mark(p, i, shape, { xy, both })));
  }
  return parts;
}

function mark(p, i, shape, { xy, both }) {
  const [x, y] = xy(p.x, p.y),
    out = [both(p.bends ? ring(x, y, 4) : `M${x - 4} ${y}h8M${x} ${y - 4}v8`, 1.4, '')];
  for (const end of p.bends ? [p.in, p.out] : []) {
    const [hx, hy] = xy(end.x, end.y);
    out.push(both(`M${x} ${y}L${hx} ${hy}`, 1, ''), both(`M${hx - 2.5} ${hy}h5`, 2.4, ''));
  }
  const soft = shape.feathers ? [shape.feathers[2 * i], shape.feathers[2 * i + 1]] : [];
  for (const f of soft.filter((v) => v > 0.5)) out.push(both(ring(x, y, f * view.zoom), 1.1, '3 4'));
  return out;
}

const chosen = () => (state.document.mattes || []).find((x) => x.id === state.chosen.matte);

// A point of the chosen matte under the pointer, or the end of a handle; where it is let go becomes a key of this frame, drawn by hand.
export function press(p) {
  const m = chosen();
  if (!m || (m.kind ?? 'Drawn') !== 'Drawn') return null;
  const shape = structuredClone(shapeAt(m, state.frame)),
    all = points(shape),
    near = 10 / Math.max(1, view.zoom);
  let i = all.findIndex((q) => apart(q, p) < near),
    end = null;
  // A handle's end is taken before its point only where it lies off it.
  all.forEach((q, k) =>
    ['in', 'out'].forEach((side) => {
      if (q.bends && apart(q[side], p) < near * 0.8 && (i < 0 || apart(q[side], p) < apart(all[i], p))) [i, end] = [k, side];
    }),
  );
  if (i < 0) return null;
  const change = end ? turn(shape, all[i], i, end) : p.shift ? soften(shape, m, all, i) : move(shape, i);
  return {
    move(q) {
      change(q);
      pulled = { matte: m.id, shape };
      tell('draw');
    },
    async release() {
      if (!pulled) return;
      await save((d) => {
        const own = d.mattes.find((x) => x.id === m.id),
          key = keyHere(own);
        Object.assign(key, {
          corners: shape.corners,
          ...(has(shape.handles) ? { handles: shape.handles } : {}),
          ...(has(shape.feathers) ? { feathers: shape.feathers } : {}),
        });
        key.found = false;
        key.strokes = [];
        // All keys of a matte have soft edges, or none.
        if (has(shape.feathers)) for (const k of own.keys) k.feathers ??= k.corners.map(() => (own.featherPixels ?? 1) / 2);
        return d;
      });
      pulled = null;
      tell('draw');
    },
  };
}

const move = (shape, i) => (q) => {
  [shape.corners[2 * i], shape.corners[2 * i + 1]] = [q.x, q.y];
};
// The other handle of a round point stays in line with the one that is pulled.
const turn = (shape, p, i, end) => {
  const [own, other] = end === 'in' ? [4 * i, 4 * i + 2] : [4 * i + 2, 4 * i],
    h = shape.handles,
    length = Math.hypot(h[other], h[other + 1]),
    before = Math.hypot(h[own], h[own + 1]),
    smooth = length > 0 && before > 0 && (h[own] * h[other] + h[own + 1] * h[other + 1]) / (length * before) < -0.98;
  return (q) => {
    [h[own], h[own + 1]] = [q.x - p.x, q.y - p.y];
    const now = Math.hypot(h[own], h[own + 1]);
    if (smooth && now > 0) [h[other], h[other + 1]] = [(-h[own] / now) * length, (-h[own + 1] / now) * length];
  };
};
const soften = (shape, m, all, i) => {
  shape.feathers ??= shape.corners.map(() => (m.featherPixels ?? 1) / 2);
  const isIn = inside(all);
  return (q) => {
    shape.feathers[2 * i + (isIn(q) ? 1 : 0)] = Math.min(500, apart(all[i], q));
  };
};

// Clicks go on until another hand is taken, or Escape.
const pointHand = (how) => (id) => {
  const click = guarded(async (p) => {
    setHand(click);
    await changed(`mattes/${encodeURIComponent(id)}/points`, { frame: state.frame, how, x: p.x, y: p.y });
  });
  setHand(click);
};
export const hands = {
  putPoint: pointHand('Put'),
  takePoint: pointHand('Take'),
  turnPoint: pointHand('Turn'),
  toFrame: (frame) => setFrame(Number(frame)),
};

for (const t of ['frame', 'document'])
  on(t, () => {
    pulled = null;
  });
