// A camera that is set by hand: dragged in the picture against its grid and the horizon, or by the corners of a real rectangle.
import { post } from './api.js';
import { same } from './edits.js';
import { valueOf } from './fields.js';
import { setAt } from './keys.js';
import { changed, on, save, setHand, state, tell } from './state.js';
import { guarded } from './told.js';
import { apart } from './view.js';

const api = (path) => `/api/shots/${state.id}/camera/hand${path}`;
const body = document.getElementById('sheet-body');
const of = { look: null, key: '', corners: [], pulled: null };
const isHand = () => state.step === 2 && !!state.document?.camera?.hand;
const grid = () => state.page.handGrid ?? 'Floor';

// One question after the other, the newest first: what lies over the picture follows the pointer as fast as answers come.
let next = null,
  running = null;
async function answers() {
  while (next) {
    const { how, drag, then } = next;
    next = null;
    try {
      of.look = await post(api('/look'), { frame: state.frame, grid: grid(), how, drag });
      then?.(of.look.hand);
    } catch (e) {
      if (drag) tell('told', e);
      else of.look = null;
    }
    tell('draw');
  }
  running = null;
}
function ask(how, drag, then) {
  next = { how, drag, then };
  return (running ??= answers());
}
function look() {
  const key = isHand() && !state.playing ? `${state.frame}:${state.revision}:${grid()}` : '';
  if (key === of.key) return;
  of.key = key;
  of.pulled = null;
  if (key) ask('Turn', null);
  else of.look = null;
}
for (const t of ['frame', 'document', 'chosen', 'step']) on(t, look);
on('escape', () => {
  of.corners = [];
  of.pulled = null;
  tell('draw');
});

const laid = () => of.pulled ?? (of.look?.corners ? pairs(of.look.corners) : []);
const pairs = (flat) => [0, 2, 4, 6].map((i) => ({ x: flat[i], y: flat[i + 1] }));
const flat = (corners) => corners.flatMap((c) => [c.x, c.y]);

export function draw({ at, xy, path, thin, both, label }) {
  const parts = [];
  if (isHand() && of.look) {
    if (of.look.grid.length) parts.push(thin(of.look.grid.map(path).join(''), 0.6, 0.8));
    if (of.look.horizon) parts.push(both(path(of.look.horizon), 1.2, '9 3 2 3'));
  }
  const corners = of.corners.length ? of.corners : laid();
  if (!corners.length || state.step !== 2) return parts;
  const around = corners.map((c, i) => `${i ? 'L' : 'M'}${at(c.x, c.y)}`).join('');
  parts.push(both(around + (corners.length === 4 ? 'Z' : ''), 1.5, ''));
  corners.forEach((c, i) => {
    const [x, y] = xy(c.x, c.y);
    parts.push(both(`M${x - 4} ${y - 4}h8v8h-8z`, 1, ''), label(x + 8, y - 6, `${i + 1}`));
  });
  return parts;
}

const given = (name) => {
  const field = body.querySelector(`[name="${name}"]`);
  return field ? (field.type === 'checkbox' ? field.checked : valueOf(field)) : undefined;
};
const take = guarded(async (corners) => {
  const rest = Object.fromEntries(['acrossMetres', 'upMetres', 'wall', 'holdFocal', 'piece'].map((n) => [n, given(n)])),
    answer = await changed('camera/hand/rectangle', { frame: state.frame, corners: flat(corners), ...rest });
  of.corners = [];
  of.pulled = null;
  tell('told', { notes: answer.notes });
  tell('draw');
});

function corner() {
  setHand((p) => {
    of.corners.push(p);
    if (of.corners.length < 4) corner();
    else take(of.corners);
    tell('draw');
  });
}
export const hands = {
  handCorners() {
    of.corners = [];
    corner();
    tell('draw');
  },
  // As they are, with what is said of the rectangle now.
  handTake() {
    const corners = of.corners.length ? of.corners : laid();
    return corners.length === 4 ? take(corners) : tell('told', { message: 'Click its four corners in the picture first.' });
  },
};

const within = (corners, p) =>
  corners.every((a, i) => {
    const b = corners[(i + 1) % 4],
      c = corners[(i + 2) % 4],
      side = (q) => (b.x - a.x) * (q.y - a.y) - (b.y - a.y) * (q.x - a.x);
    return side(p) * side(c) > 0;
  });
// One corner, or all of them.
function pull(corners, which, from) {
  const began = structuredClone(corners);
  let moved = false;
  return {
    move(q) {
      moved = true;
      for (const i of which) corners[i] = { x: began[i].x + q.x - from.x, y: began[i].y + q.y - from.y };
      tell('draw');
    },
    release: () => moved && take(corners),
  };
}

// Four that gave no camera stay to be pulled, as those of a camera do.
export function press(p) {
  if (state.step !== 2) return null;
  const clicked = of.corners.length === 4,
    corners = clicked ? of.corners : structuredClone(laid()),
    i = corners.findIndex((c) => apart(c, p) < 9),
    how = state.page.handMove;
  if (i >= 0 || (!how && corners.length === 4 && within(corners, p))) {
    if (!clicked) of.pulled = corners;
    return pull(corners, i >= 0 ? [i] : [0, 1, 2, 3], p);
  }
  if (!isHand() || !how) return null;
  const was = of.look?.hand;
  let to = null;
  const drag = (q) =>
    ask(how, [p.x, p.y, q.x, q.y], (hand) => {
      to = hand;
    });
  return {
    move: drag,
    async release() {
      await running;
      if (!to) return;
      const differ = ['position', 'rotationYxzDegrees', 'focalMm'].filter((value) => !same(was?.[value], to[value]));
      await save((d) => differ.reduce((done, value) => setAt(done, `camera/hand/${value}`, to[value]), d));
    },
  };
}
