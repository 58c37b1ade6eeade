// What things hang on and aim at: asked of the server, which knows where all of them are.
import { changed, setHand, state, tell } from './state.js';
import { guarded } from './told.js';
import { apart } from './view.js';

const asked = guarded(async (path, body) => {
  await changed(path, { frame: state.frame, ...body });
  tell('told', null);
});
const aim = (what, to) => asked('aim', { what, ...to });

export const hands = {
  hangOn: (what, input) => asked('hang', { what, on: input.value || null }),
  // A spot is clicked; a thing is named.
  aimOn: (what, input) =>
    input.value === 'spot' ? hands.clickAim(what) : aim(what, input.value ? { on: input.value } : { nothing: true }),
  clickAim: (what) => setHand((p) => aim(what, { x: p.x, y: p.y })),
};

const chosen = () =>
  ({ 3: `pieces/${state.chosen.piece}`, 5: `lights/${state.chosen.light}`, 6: `elements/${state.chosen.element}` })[state.step];
const mine = (over) => over?.aims?.find((a) => a.what === chosen() && a.seen);

// Where the chosen thing aims: a mark that is pulled over set and things.
export function draw({ at, xy, both }, over) {
  const a = mine(over);
  if (!a) return [];
  const [x, y] = xy(...(a.pulled ?? a.seen));
  let d = `M${x - 7} ${y - 7}l14 14m0 -14l-14 14`;
  if (a.from) d += `M${at(...a.from)}L${x} ${y}`;
  return [both(d, 1.6, '')];
}

export function press(p, over) {
  const a = mine(over);
  if (!a || apart({ x: a.seen[0], y: a.seen[1] }, p) > 10) return null;
  return {
    move(q) {
      a.pulled = [q.x, q.y];
      tell('draw');
    },
    release: (q) => (a.pulled ? aim(a.what, { x: q.x, y: q.y }) : null),
  };
}
