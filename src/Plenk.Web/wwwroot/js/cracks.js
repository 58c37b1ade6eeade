// Lines that cracks follow as a piece breaks: clicked on it in the picture, place after place.
import { choose, on, setHand, state, tell } from './state.js';
import { pickSet } from './pick.js';
import { guarded } from './told.js';

// Each place as it was clicked in a frame, and where it is in the world.
let lines = [],
  frame = null;
const none = () => {
  lines = [];
  frame = null;
};
function keep() {
  const whole = lines.filter((l) => l.length > 1).map((l) => l.map((p) => p.at));
  choose(`breakCracks:${whole.length ? JSON.stringify(whole) : ''}`);
  tell('draw');
}

const next = guarded(async (p) => {
  const { onSet } = await pickSet(p.x, p.y);
  lines.at(-1).push({ x: p.x, y: p.y, at: onSet });
  setHand(next);
  keep();
});

export const hands = {
  drawCrack() {
    if (frame !== state.frame) none();
    frame = state.frame;
    lines = [...lines.filter((l) => l.length > 1), []];
    setHand(next);
  },
  noCracks() {
    none();
    setHand(null);
    // Said, not left open: those of the last break count no longer.
    choose('breakCracks:[]');
    tell('draw');
  },
};

export function draw({ at, xy, both }) {
  if (frame !== state.frame || !state.page.breakCracks) return [];
  return lines.flatMap((line) => [
    both(line.map((p, i) => `${i ? 'L' : 'M'}${at(p.x, p.y)}`).join(''), 1.6, '5 3'),
    ...line.map((p) => {
      const [x, y] = xy(p.x, p.y);
      return both(`M${x - 3} ${y}h6M${x} ${y - 3}v6`, 1.2, '');
    }),
  ]);
}
// Another piece has lines of its own.
on('chose', ({ kind }) => {
  if (kind !== 'piece') return;
  none();
  delete state.page.breakCracks;
});
