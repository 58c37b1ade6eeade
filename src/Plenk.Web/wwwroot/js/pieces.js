// The set's pieces: added, laid through points, drawn in the picture, sized, copied.
import { get, post } from './api.js';
import { freeId, put } from './edits.js';
import { pickSet } from './pick.js';
import { choose } from './sheet.js';
import { wordFault } from './told.js';
import { on, save, setHand, state, tell } from './state.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
// Tracked points of this frame that can be circled, the line that is being drawn, and spots that are measured.
export const drawing = { places: [], line: [], loop: null, from: null, measured: null };

const duties = { receives: true, hides: true, wearsFootage: true, blocksLight: true };
const create = (stem, piece) =>
  save(async (d) => {
    const made = typeof piece === 'function' ? await piece(d) : piece,
      id = freeId(d.pieces, stem);
    d.pieces.push({
      position: [0, 0, 0],
      rotationYxzDegrees: [0, 0, 0],
      size: [1, 1, 1],
      scale: 1,
      duties,
      ...made,
      id,
      name: id.replace('_', ' '),
    });
    state.chosen.piece = id;
    return d;
  });

let fitted = null; // how far the points lie from what was laid through them
// A plane, a box or a cylinder through the chosen points; how far they lie from it is told.
async function fit(kind) {
  const { points } = state.chosen;
  let r;
  if (
    await create(kind.toLowerCase(), async (d) => {
      r = await post(api('pieces/fit'), { document: d, kind, points, frame: state.frame });
      return r.piece;
    })
  ) {
    state.chosen.points = [];
    fitted = r;
    tell('chosen');
  }
}

const pointsOpen = () => state.page['points-open'] !== undefined;
async function places() {
  drawing.places = [];
  if (state.step !== 3 || !pointsOpen() || !(state.document.solve || state.document.clouds?.length)) {
    tell('draw');
    return;
  }
  try {
    drawing.places = await get(api(`frames/${state.frame}/places`));
    tell('draw');
  } catch {
    /* none then */
  }
}

function surface() {
  setHand(async (p) => {
    try {
      state.chosen.points = await get(api(`frames/${state.frame}/surface?x=${p.x}&y=${p.y}`));
      tell('chosen');
    } catch (e) {
      tell('told', e);
    }
  });
}

// Points inside a loop of clicks; the loop closes where it began.
function circle() {
  drawing.loop = [];
  const next = (p) => {
    const first = drawing.loop[0];
    if (drawing.loop.length > 2 && Math.hypot(first.x - p.x, first.y - p.y) < 14) {
      const inside = (q) =>
        drawing.loop.reduce((odd, a, i) => {
          const b = drawing.loop[(i + 1) % drawing.loop.length];
          return a.y > q.y !== b.y > q.y && q.x < ((b.x - a.x) * (q.y - a.y)) / (b.y - a.y) + a.x ? !odd : odd;
        }, false);
      state.chosen.points = [...new Set([...state.chosen.points, ...drawing.places.filter(inside).map((q) => q.name)])];
      drawing.loop = null;
      tell('chosen');
      return;
    }
    drawing.loop.push(p);
    setHand(next);
    tell('draw');
  };
  setHand(next);
}

// An outline or a path on the floor, corner after corner.
function line(kind) {
  drawing.line = [];
  const next = async (p) => {
    try {
      const { point } = await get(api(`frames/${state.frame}/floor?x=${p.x}&y=${p.y}`));
      drawing.line.push({ ...p, point });
    } catch (e) {
      tell('told', e);
    }
    drawing.kind = kind;
    setHand(next);
    tell('draw');
    state.page.drawn = kind;
    choose(`corners:${drawing.line.length || ''}`);
  };
  setHand(next);
}
async function closeLine() {
  const corners = drawing.line.flatMap((c) => [c.point[0], c.point[2]]),
    outline = drawing.kind === 'Outline';
  if (
    await create(drawing.kind.toLowerCase(), {
      kind: drawing.kind,
      corners,
      size: outline ? [1, 2.5, 1] : [0.3, 0.15, 1],
      walls: true,
      ground: true,
      openings: [],
      holes: [],
    })
  ) {
    drawing.line = [];
    setHand(null);
    choose('corners:');
  }
}

// The top of a wall, clicked straight above one of the outline's corners.
function heightFromPicture(p) {
  setHand(async (q) => {
    const corners = [];
    for (let i = 0; i < p.corners.length; i += 2)
      corners.push([p.corners[i] + p.position[0], p.position[1], p.corners[i + 1] + p.position[2]]);
    let best = null;
    for (const foot of corners) {
      try {
        const r = await post(api(`frames/${state.frame}/above`), { foot, x: q.x, y: q.y });
        if (r.height > 0.05 && (!best || r.height < best)) best = r.height;
      } catch {
        /* not above this one */
      }
    }
    if (best === null) tell('told', wordFault('no-corner'));
    else await save((d) => put(d, `pieces/${p.id}/size/1`, best));
  });
}

// Stairs: both ends of the lowest edge on the floor, then the left end of the last edge.
function stairs() {
  const floor = async (p) => (await get(api(`frames/${state.frame}/floor?x=${p.x}&y=${p.y}`))).point;
  const refuse = (e) => tell('told', e);
  setHand(async (p) => {
    try {
      const a = await floor(p);
      setHand(async (q) => {
        try {
          const b = await floor(q);
          setHand(async (r) => {
            try {
              const width = Math.hypot(b[0] - a[0], b[2] - a[2]);
              // Up the stairs is away from the camera: −Z of the piece, square to the first edge.
              const heading = Math.atan2(-(b[2] - a[2]), b[0] - a[0]),
                up = [-Math.sin(heading), 0, -Math.cos(heading)];
              const top = await post(api(`frames/${state.frame}/above`), { foot: a, along: up, x: r.x, y: r.y });
              const middle = [(a[0] + b[0]) / 2 + (up[0] * top.along) / 2, a[1], (a[2] + b[2]) / 2 + (up[2] * top.along) / 2];
              await create('stairs', {
                kind: 'Stairs',
                count: Math.max(1, Math.round(top.height / 0.17)),
                size: [width, top.height, top.along],
                position: middle,
                rotationYxzDegrees: [0, (heading * 180) / Math.PI, 0],
              });
            } catch (e) {
              refuse(e);
            }
          });
          tell('chosen');
        } catch (e) {
          refuse(e);
        }
      });
      tell('chosen');
    } catch (e) {
      refuse(e);
    }
  });
}

// Two spots of the set: how far apart, how much higher, at what slope.
function measure() {
  const spot = async (p) => {
    const hit = await pickSet(p.x, p.y);
    return hit.onSet;
  };
  setHand(async (p) => {
    try {
      const a = await spot(p);
      drawing.from = p;
      tell('draw');
      setHand(async (q) => {
        try {
          const b = await spot(q);
          drawing.measured = { a, b, from: p, to: q, frame: state.frame };
          drawing.from = null;
          tell('draw');
          state.page.measuredFrom = a.join();
          choose(`measuredTo:${b.join()}`);
        } catch (e) {
          tell('told', e);
        }
      });
    } catch (e) {
      tell('told', e);
    }
  });
}

export function drawPieces({ at, both, label }) {
  const parts = [];
  if (state.step !== 3) return parts;
  let dots = '',
    heavy = '';
  for (const q of pointsOpen() ? drawing.places : []) {
    const [x, y] = at(q.x, q.y).split(' ').map(Number),
      d = `M${x - 1.6} ${y}a1.6 1.6 0 1 0 3.2 0a1.6 1.6 0 1 0 -3.2 0`;
    if (state.chosen.points.includes(q.name)) heavy += d;
    else dots += d;
  }
  if (dots) parts.push(both(dots, 0.8, ''));
  if (heavy) parts.push(both(heavy, 2.4, ''));
  const path = (list) => list.map((p, i) => `${i ? 'L' : 'M'}${at(p.x, p.y)}`).join('');
  if (drawing.loop?.length) parts.push(both(path(drawing.loop), 1.2, '5 3'));
  if (drawing.line.length)
    parts.push(
      both(path(drawing.line), 1.6, ''),
      ...drawing.line.map((p) => {
        const [x, y] = at(p.x, p.y).split(' ').map(Number);
        return both(`M${x - 4} ${y}h8M${x} ${y - 4}v8`, 1.2, '');
      }),
    );
  const m = drawing.measured;
  if (m && m.frame === state.frame) {
    const [x1, y1] = at(m.from.x, m.from.y).split(' ').map(Number),
      [x2, y2] = at(m.to.x, m.to.y).split(' ').map(Number),
      d = Math.hypot(...m.a.map((v, i) => v - m.b[i]));
    parts.push(
      both(`M${x1} ${y1}L${x2} ${y2}M${x1} ${y1 - 5}v10M${x2} ${y2 - 5}v10`, 1.3, ''),
      label((x1 + x2) / 2 + 6, (y1 + y2) / 2 - 6, `${d.toFixed(3)} m`),
    );
  }
  return parts;
}

const byId = (id) => state.document.pieces.find((p) => p.id === id);
export const hands = {
  async card(_, button) {
    await create('card', () => get(api(`frames/${state.frame}/card?metres=10`)));
    tell('told', { message: button.dataset.telling, fine: true });
  },
  drawLine: line,
  closeLine,
  stairs,
  measure,
  surface,
  circle,
  fit,
  points() {
    choose(`points-open:${pointsOpen() ? '' : 'yes'}`);
    places();
  },
  noPoints() {
    state.chosen.points = [];
    tell('chosen');
  },
  heightFromPicture: (id) => heightFromPicture(byId(id)),
  copyShift: (_, input, three) => choose(`copyShift:${three.join()}`),
};
// What was laid through points is told once.
export function drawn(body) {
  const box = body.querySelector('#fitted');
  if (!box || !fitted) return;
  box.hidden = false;
  box.querySelector('[data-mm]').textContent = (fitted.rmsMetres * 1000).toFixed(1);
  const px = box.querySelector('[data-px]');
  px.hidden = fitted.rmsPixels === null;
  if (fitted.rmsPixels !== null) px.querySelector('.num').textContent = fitted.rmsPixels.toFixed(2);
}

on('frame', places);
on('step', places);
on('document', places);
on('escape', () => {
  if (drawing.line.length) choose('corners:');
  drawing.line = [];
  drawing.loop = null;
  drawing.from = null;
  tell('draw');
});
