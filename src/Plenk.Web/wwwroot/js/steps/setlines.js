// Pieces drawn in the picture: outlines and strips on the floor, stairs by their edges, the top of a wall; and spots of the set that are measured.
import { get, post } from '../api.js';
import { freeId, put } from '../edits.js';
import { pickSet } from '../pick.js';
import { choose, on, save, setHand, state, tell } from '../state.js';
import { guarded, wordFault } from '../told.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
// Tracked points of this frame that can be circled, the line that is being drawn, and spots that are measured.
export const drawing = { places: [], line: [], from: null, measured: null };

const duties = { receives: true, hides: true, wearsFootage: true, blocksLight: true };
export const create = (stem, piece) =>
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
  const next = (act) => setHand(guarded(act)),
    floor = async (p) => (await get(api(`frames/${state.frame}/floor?x=${p.x}&y=${p.y}`))).point;
  next(async (p) => {
    const a = await floor(p);
    next(async (q) => {
      const b = await floor(q);
      next(async (r) => {
        // Up the stairs is away from the camera: −Z of the piece, square to the first edge.
        const width = Math.hypot(b[0] - a[0], b[2] - a[2]),
          heading = Math.atan2(-(b[2] - a[2]), b[0] - a[0]),
          up = [-Math.sin(heading), 0, -Math.cos(heading)],
          top = await post(api(`frames/${state.frame}/above`), { foot: a, along: up, x: r.x, y: r.y });
        await create('stairs', {
          kind: 'Stairs',
          count: Math.max(1, Math.round(top.height / 0.17)),
          size: [width, top.height, top.along],
          position: [(a[0] + b[0]) / 2 + (up[0] * top.along) / 2, a[1], (a[2] + b[2]) / 2 + (up[2] * top.along) / 2],
          rotationYxzDegrees: [0, (heading * 180) / Math.PI, 0],
        });
      });
    });
  });
}

// Two spots of the set: how far apart, how much higher, at what slope.
function measure() {
  setHand(
    guarded(async (p) => {
      const { onSet: a } = await pickSet(p.x, p.y);
      drawing.from = p;
      tell('draw');
      setHand(
        guarded(async (q) => {
          const { onSet: b } = await pickSet(q.x, q.y);
          drawing.measured = { a, b, from: p, to: q, frame: state.frame };
          drawing.from = null;
          tell('draw');
          state.page.measuredFrom = a.join();
          choose(`measuredTo:${b.join()}`);
        }),
      );
    }),
  );
}

const byId = (id) => state.document.pieces.find((p) => p.id === id);
export const hands = {
  drawLine: line,
  closeLine,
  stairs,
  measure,
  heightFromPicture: (id) => heightFromPicture(byId(id)),
};

on('escape', () => {
  if (drawing.line.length) choose('corners:');
  drawing.line = [];
  drawing.from = null;
  tell('draw');
});
