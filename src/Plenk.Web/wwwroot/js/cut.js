// A part cut loose from a piece: its outline is clicked in the picture, corner after corner. And where a piece is struck.
import { valueOf } from './fields.js';
import { changed, choose, on, setHand, state, tell } from './state.js';
import { pickSet } from './pick.js';
import { guarded } from './told.js';

const body = document.getElementById('sheet-body');
let corners = [];

function next(p) {
  corners.push(p);
  setHand(next);
  tell('draw');
  choose(`cutCorners:${corners.length}`);
}
function none() {
  corners = [];
  setHand(null);
  choose('cutCorners:');
  tell('draw');
}
const field = (name) => {
  const f = body.querySelector(`[name="${name}"]`);
  return f.tagName === 'SELECT' ? f.value : valueOf(f);
};

export const hands = {
  breakPoint: () =>
    setHand(
      guarded(async (p) => {
        const { onSet } = await pickSet(p.x, p.y);
        choose(`breakPoint:${onSet.join()}`);
      }),
    ),
  drawCut() {
    none();
    setHand(next);
  },
  cutLoose: guarded(async (piece) => {
    const before = new Set(state.document.pieces.map((p) => p.id));
    await changed(`pieces/${encodeURIComponent(piece)}/cut-loose`, {
      frame: state.frame,
      corners: corners.flatMap((p) => [p.x, p.y]),
      thicknessMetres: field('cut-thick'),
      hinge: field('cut-hinge'),
      roomMetres: field('cut-room'),
      sides: body.querySelector('[name="cut-tone"]').checked ? null : field('cut-sides'),
    });
    none();
    choose(`piece:${state.document.pieces.find((p) => !before.has(p.id)).id}`);
  }),
};

export function draw({ at, xy, both }) {
  if (!corners.length) return [];
  return [
    both(corners.map((p, i) => `${i ? 'L' : 'M'}${at(p.x, p.y)}`).join('') + (corners.length > 2 ? 'Z' : ''), 1.6, ''),
    ...corners.map((p) => {
      const [x, y] = xy(p.x, p.y);
      return both(`M${x - 4} ${y}h8M${x} ${y - 4}v8`, 1.2, '');
    }),
  ];
}
on('escape', none);
on('step', () => corners.length && none());
