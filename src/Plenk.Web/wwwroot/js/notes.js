// Notes: pinned to the picture, answered, shown at their places.
import { freeId } from './edits.js';
import { on, save, setFrame, setHand, state } from './state.js';

const who = () => document.body.dataset.who || 'somebody';
export const hands = {
  pinNote: () =>
    setHand((p) =>
      save((d) => {
        const id = freeId(d.notes, 'note');
        d.notes.push({
          id,
          frame: state.frame,
          x: p.x,
          y: p.y,
          by: who(),
          text: '',
          when: new Date().toISOString(),
          answers: [],
          resolved: false,
        });
        state.chosen.note = id;
        return d;
      }),
    ),
  answer(_, input) {
    const text = input.value.trim();
    input.value = input.defaultValue;
    if (!text) return;
    const id = state.chosen.note;
    save((d) => {
      d.notes.find((n) => n.id === id).answers.push({ by: who(), text, when: new Date().toISOString() });
      return d;
    });
  },
};
on('chose', ({ kind, id }) => {
  const note = kind === 'note' && state.document.notes.find((n) => n.id === id);
  if (note) setFrame(note.frame);
});

// On the picture: notes at their places.
export function draw({ xy, both, label }) {
  return state.document.notes.flatMap((n, i) => {
    if (n.frame !== state.frame || (n.resolved && n.id !== state.chosen.note)) return [];
    const [x, y] = xy(n.x, n.y);
    return [
      both(`M${x} ${y}l14 -14h${10 + 6.6 * Math.min(40, n.text.length)}`, n.id === state.chosen.note ? 2 : 1.2, ''),
      label(x + 16, y - 18, `${i + 1} ${n.text.slice(0, 40)}`),
    ];
  });
}
