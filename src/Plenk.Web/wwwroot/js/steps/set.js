// The set's pieces: laid through points, stood as cards, copied; what of them is drawn on the picture.
import { get, post } from '../api.js';
import { choose, on, setHand, state, tell } from '../state.js';
import { lasso } from '../lasso.js';
import { pickPiece } from '../pick.js';
import { guarded, words } from '../told.js';
import { create, drawing } from './setlines.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
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
    tell('told', r.assumed ? { message: r.assumed, fine: true } : null);
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
  setHand(
    guarded(async (p) => {
      state.chosen.points = await get(api(`frames/${state.frame}/surface?x=${p.x}&y=${p.y}`));
      tell('chosen');
    }),
  );
}

// Points inside a loop are chosen too.
const circle = () =>
  lasso((inside) => {
    const circled = drawing.places.filter(inside).map((q) => q.name);
    if (!circled.length) tell('told', words('no-points-inside'));
    state.chosen.points = [...new Set([...state.chosen.points, ...circled])];
    tell('chosen');
  });

function wires({ path, thin, both }, { wire, pieces }) {
  const chosen = pieces.indexOf(state.chosen.piece),
    lines = (hidden, mine) =>
      wire
        .filter((l) => l.h === hidden && (l.i === chosen) === mine)
        .map((l) => path(l.p))
        .join('');
  const parts = [thin(lines(true, false), 0.5, 0.7, '1 4'), thin(lines(false, false), 0.85, 0.8)];
  if (chosen >= 0) parts.push(both(lines(true, true), 1.2, '2 4'), both(lines(false, true), 1.8, ''));
  return parts;
}

export function draw(pen, over) {
  const { at, xy, both, label } = pen,
    parts = over?.wire ? wires(pen, over) : [];
  let dots = '',
    heavy = '';
  for (const q of pointsOpen() ? drawing.places : []) {
    const [x, y] = xy(q.x, q.y),
      d = `M${x - 1.6} ${y}a1.6 1.6 0 1 0 3.2 0a1.6 1.6 0 1 0 -3.2 0`;
    if (state.chosen.points.includes(q.name)) heavy += d;
    else dots += d;
  }
  if (dots) parts.push(both(dots, 0.8, ''));
  if (heavy) parts.push(both(heavy, 2.4, ''));
  const path = (list) => list.map((p, i) => `${i ? 'L' : 'M'}${at(p.x, p.y)}`).join('');
  if (drawing.line.length)
    parts.push(
      both(path(drawing.line), 1.6, ''),
      ...drawing.line.map((p) => {
        const [x, y] = xy(p.x, p.y);
        return both(`M${x - 4} ${y}h8M${x} ${y - 4}v8`, 1.2, '');
      }),
    );
  const m = drawing.measured;
  if (m && m.frame === state.frame) {
    const [x1, y1] = xy(m.from.x, m.from.y),
      [x2, y2] = xy(m.to.x, m.to.y),
      d = Math.hypot(...m.a.map((v, i) => v - m.b[i]));
    parts.push(
      both(`M${x1} ${y1}L${x2} ${y2}M${x1} ${y1 - 5}v10M${x2} ${y2 - 5}v10`, 1.3, ''),
      label((x1 + x2) / 2 + 6, (y1 + y2) / 2 - 6, `${d.toFixed(3)} m`),
    );
  }
  return parts;
}

export function press(p) {
  pickPiece(p);
  return true;
}

export const hands = {
  async card(_, button) {
    await create('card', () => get(api(`frames/${state.frame}/card`)));
    tell('told', { message: button.dataset.telling, fine: true });
  },
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

on('chose', ({ kind }) => {
  if (kind === 'points') fitted = null;
});
on('frame', places);
on('step', places);
on('document', places);
