// An outline drawn along the picture's edges: between two clicks the way along the strongest one, which the server finds while the pointer goes.
import { get } from './api.js';
import { freeId } from './edits.js';
import { path, points } from './outlines.js';
import { closed, joined } from './shapes.js';
import { choose, on, save, setHand, state, tell } from './state.js';
import { guarded } from './told.js';
import { apart } from './view.js';

const near = 14; // px on the page
let line = null; // { corners, handles } while it is drawn
let ahead = null; // the way from its last point to the pointer
let asking = false,
  asked = null;

const end = (shape) => shape.corners.slice(-2);
const way = ([x0, y0], p) =>
  get(`/api/shots/${state.id}/mattes/edge?frame=${state.frame}&x0=${x0}&y0=${y0}&x1=${p.x}&y1=${p.y}&revision=${state.revision}`);

async function click(p) {
  if (!line) line = { corners: [p.x, p.y], handles: [0, 0, 0, 0] };
  else if (line.corners.length > 4 && apart({ x: line.corners[0], y: line.corners[1] }, p) < near) {
    await close();
    return;
  } else line = joined(line, await way(end(line), p));
  ahead = null;
  setHand(clicked);
  tell('draw');
  choose(`edge:${line.corners.length / 2}`);
}
const clicked = guarded(click);

async function close() {
  const [x, y] = line.corners,
    back = await way(end(line), { x, y });
  // The first point stays where it is.
  back.corners.splice(-2, 2, x, y);
  const shape = closed(joined(line, back));
  forget();
  setHand(null);
  await save((d) => {
    const id = freeId(d.mattes, 'matte');
    d.mattes.push({ id, name: id.replace('_', ' '), keys: [{ frame: state.frame, ...shape }] });
    state.chosen.matte = id;
    return d;
  });
}
function forget() {
  const drawn = line;
  line = null;
  ahead = null;
  if (drawn) choose('edge:');
  tell('draw');
}

export async function hover(p) {
  asked = line && p;
  if (!asked || asking) return;
  asking = true;
  try {
    // Always the last place that was asked for.
    while (asked && line) {
      const to = asked,
        from = line;
      asked = null;
      const found = await way(end(from), to);
      if (line === from) ahead = found;
      tell('draw');
    }
  } catch {
    ahead = null;
  } finally {
    asking = false;
  }
}

export function draw({ at, xy, both }) {
  if (!line) return [];
  const out = [both(path(line, true, at), 1.8, '')];
  if (ahead?.corners.length > 2) out.push(both(path(ahead, true, at), 1.2, '5 3'));
  for (const p of points(line)) {
    const [x, y] = xy(p.x, p.y);
    out.push(both(`M${x - 3} ${y}h6M${x} ${y - 3}v6`, 1.2, ''));
  }
  return out;
}

export const hands = {
  drawAlongEdges() {
    forget();
    setHand(clicked);
    tell('told', { message: 'Click along the edge: between two clicks the outline keeps to it.', fine: true });
  },
  closeAlongEdges: guarded(close),
};
on('escape', forget);
for (const t of ['frame', 'step']) on(t, forget);
