// Edges to edges: corners and edges of the chosen piece are pulled onto the picture; the piece follows as its kind allows.
import { get, post } from './api.js';
import { choose, on, save, state, tell } from './state.js';
import { apart } from './view.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
export const edges = { on: false, handles: [], pulled: null, rest: null };

let asked = 0;
export async function refreshEdges() {
  const mine = ++asked,
    piece = state.chosen.piece;
  edges.handles = [];
  if (!edges.on || state.step !== 3 || !piece || !state.document?.camera || state.playing) {
    tell('draw');
    return;
  }
  try {
    const list = await get(`${api(`frames/${state.frame}/handles`)}?piece=${encodeURIComponent(piece)}`);
    if (mine === asked) {
      edges.handles = list;
      tell('draw');
    }
  } catch {
    /* the piece is gone */
  }
}

const corner = (k) => k.from.every((v, i) => v === k.to[i]);

// The corner, or else the edge, under the pointer; of an edge the place that is touched.
function under(p) {
  if (!edges.on) return null;
  const near = edges.handles
    .filter(corner)
    .map((k) => ({ k, d: apart({ x: k.a[0], y: k.a[1] }, p) }))
    .sort((a, b) => a.d - b.d)[0];
  if (near?.d < 10) return { place: near.k.from, along: null, x: p.x, y: p.y };
  let best = null;
  for (const k of edges.handles) {
    if (corner(k)) continue;
    const dx = k.b[0] - k.a[0],
      dy = k.b[1] - k.a[1],
      l = dx * dx + dy * dy;
    if (l < 1) continue;
    const t = Math.max(0.05, Math.min(0.95, ((p.x - k.a[0]) * dx + (p.y - k.a[1]) * dy) / l)),
      d = apart({ x: k.a[0] + t * dx, y: k.a[1] + t * dy }, p);
    if (d < 9 && (!best || d < best.d)) best = { d, k, t };
  }
  return (
    best && {
      place: best.k.from.map((v, i) => v + best.t * (best.k.to[i] - v)),
      along: best.k.to.map((v, i) => v - best.k.from[i]),
      x: p.x,
      y: p.y,
    }
  );
}

export function press(p) {
  const pull = under(p);
  return (
    pull && {
      move(to) {
        edges.pulled = { ...pull, to };
        tell('draw');
      },
      async release(to) {
        if (edges.pulled) await pin(pull, to);
        edges.pulled = null;
        tell('draw');
      },
    }
  );
}

async function pin(pull, p) {
  const id = state.chosen.piece,
    frame = state.frame;
  edges.pulled = null;
  let rest = null;
  const done = await save(async (d) => {
    const piece = d.pieces.find((q) => q.id === id),
      same = (a, b) => a.every((v, i) => Math.abs(v - b[i]) < 1e-6);
    // A corner that was pinned in this frame before moves with its pin.
    piece.pins = [
      ...(piece.pins || []).filter((q) => !(q.frame === frame && !q.along && !pull.along && same(q.place, pull.place))),
      { frame, place: pull.place, along: pull.along, x: p.x, y: p.y },
    ];
    const r = await post(api(`pieces/${encodeURIComponent(id)}/pull`), { document: d });
    rest = r;
    d.pieces[d.pieces.indexOf(piece)] = r.piece;
    return d;
  });
  if (done !== false && rest) edges.rest = rest;
  tell('chosen');
}

export function draw({ xy, both }) {
  const parts = [],
    piece = state.document.pieces.find((p) => p.id === state.chosen.piece);
  if (!edges.on || !piece) return parts;
  let d = '';
  for (const k of edges.handles) {
    if (!corner(k)) continue;
    const [x, y] = xy(...k.a);
    d += `M${x - 3} ${y - 3}h6v6h-6z`;
  }
  if (d) parts.push(both(d, 1, ''));
  let pins = '';
  for (const q of piece.pins || []) {
    if (q.frame !== state.frame) continue;
    const [x, y] = xy(q.x, q.y);
    pins += q.along ? `M${x - 6} ${y}h12` : `M${x - 6} ${y}h12M${x} ${y - 6}v12`;
  }
  if (pins) parts.push(both(pins, 2, ''));
  if (edges.pulled) {
    const [x, y] = xy(edges.pulled.to.x, edges.pulled.to.y),
      [u, v] = xy(edges.pulled.x, edges.pulled.y);
    parts.push(both(`M${u} ${v}L${x} ${y}M${x - 6} ${y}h12M${x} ${y - 6}v12`, 1.6, ''));
  }
  return parts;
}

// The pins changed: the piece is solved anew.
const again = (change) => {
  const id = state.chosen.piece;
  return save(async (d) => {
    const piece = d.pieces.find((q) => q.id === id);
    change(piece);
    if (piece.pins.length) {
      const r = await post(api(`pieces/${encodeURIComponent(id)}/pull`), { document: d });
      edges.rest = r;
      d.pieces[d.pieces.indexOf(piece)] = r.piece;
    }
    return d;
  });
};
export const hands = {
  edges() {
    edges.on = !edges.on;
    refreshEdges();
    choose(`edges:${edges.on ? 'yes' : ''}`);
  },
  unpinEdge: (which) =>
    again((p) => {
      p.pins = which === 'all' ? [] : p.pins.slice(0, -1);
    }),
  mayTilt: (_, input) =>
    again((p) => {
      p.mayTilt = input.checked;
    }),
};
export function drawn(body) {
  const box = body.querySelector('#pins-rest');
  if (!box || edges.rest?.piece?.id !== state.chosen.piece) return;
  box.hidden = false;
  box.querySelector('[data-worst]').textContent = edges.rest.worstPx.toFixed(2);
  box.querySelector('[data-rms]').textContent = edges.rest.rmsPx.toFixed(2);
}

for (const t of ['frame', 'document', 'step', 'chosen'])
  on(t, () => {
    if (edges.on) refreshEdges();
  });
on('escape', () => {
  edges.pulled = null;
});
