// Handing over: a hand-over is asked for, notes are pinned to the picture and answered, another revision is shown beside this one.
import { post } from '../api.js';
import { freeId } from '../edits.js';
import { valueOf } from '../fields.js';
import { choose, on, save, setFrame, setHand, state, tell } from '../state.js';

const who = () => document.body.dataset.who || 'somebody';
const formats = ['exr', 'png16', 'dpx', 'mp4', 'stills', 'contact'];

function asked(form) {
  const f = form.elements,
    text = (name) => f[name].value.trim();
  return {
    first: Number(text('first')),
    last: Number(text('last')),
    formats: formats.filter((name) => f[name].checked),
    layers: text('layers')
      ? text('layers')
          .split(',')
          .map((l) => l.trim())
          .filter(Boolean)
      : null,
    names: text('names') || null,
    compression: f.compression.value,
    partPerLayer: f.partPerLayer.checked,
    burnIn: f.burnIn.checked,
    throughLook: f.throughLook?.checked ?? true,
    overscan: valueOf(f.overscan) / 100,
    primaries: f.primaries.value,
  };
}

export const hands = {
  async render() {
    try {
      await post(`/api/shots/${state.id}/render`, asked(document.getElementById('hand-over')));
      tell('told', null);
      tell('jobs-now');
    } catch (e) {
      tell('told', e);
    }
  },
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
  other(_, input, revision) {
    state.other = revision;
    choose(`other:${revision}`);
    if (state.compare.startsWith('version')) tell('compare');
  },
};
on('chose', ({ kind, id }) => {
  const note = kind === 'note' && state.document.notes.find((n) => n.id === id);
  if (note) setFrame(note.frame);
});

// On the picture: notes at their places.
export function draw({ at, both, label }) {
  return state.document.notes.flatMap((n, i) => {
    if (n.frame !== state.frame || (n.resolved && n.id !== state.chosen.note)) return [];
    const [x, y] = at(n.x, n.y).split(' ').map(Number);
    return [
      both(`M${x} ${y}l14 -14h${10 + 6.6 * Math.min(40, n.text.length)}`, n.id === state.chosen.note ? 2 : 1.2, ''),
      label(x + 16, y - 18, `${i + 1} ${n.text.slice(0, 40).replace(/[<&]/g, ' ')}`),
    ];
  });
}
