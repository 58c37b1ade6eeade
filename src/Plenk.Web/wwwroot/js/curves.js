// Values that are keyed over frames: the chosen one in the rail, its keys moved, stretched and copied.
import { escaped, put } from './edits.js';
import { valueOf } from './fields.js';
import { save, setFrame } from './state.js';
import { guarded, wordFault } from './told.js';

const body = document.getElementById('sheet-body');
const number = (name) => valueOf(body.querySelector(`[name="${name}"]`));

// Of a key of three numbers one is pulled: the others stay.
const withPart = (three, part, value) => three.map((v, i) => (i === part ? value : v));
const set = (d, c, frame, to, one, three) => {
  const key = !Number.isInteger(c.part)
    ? null
    : d.curves.find((q) => c.at === `curves/${escaped(q.id)}/keys`).keys.find((k) => k.frame === frame);
  return put(d, `${c.at}/${frame}/${key ? three : one}`, to(key));
};

// What the rail shows of the chosen one, as the server has drawn it: keys can be pulled, and the handles of free ones.
export function curve() {
  const box = body.querySelector('[data-drawn-curve]');
  if (!box) return null;
  const c = JSON.parse(box.dataset.drawnCurve);
  return {
    name: c.name,
    curves: c.curves,
    keys: c.keys,
    change: (frame, value) => save((d) => set(d, c, frame, (k) => (k ? withPart(k.triple, c.part, value) : value), 'value', 'triple')),
    turn: (frame, side, handle) =>
      save((d) =>
        set(
          d,
          c,
          frame,
          (k) => (k ? { frames: handle.frames, value: 0, triple: withPart(k[side]?.triple ?? [0, 0, 0], c.part, handle.value) } : handle),
          side,
          side,
        ),
      ),
  };
}

// Keys between two frames go so far on and are spread about the first of them; a copy leaves those that were.
function moved(id, copy) {
  const [from, to, later, times] = ['keys-from', 'keys-to', 'keys-later', 'keys-times'].map(number);
  return save((d) => {
    const own = d.curves.find((c) => c.id === id),
      chosen = own.keys.filter((k) => k.frame >= from && k.frame <= to),
      first = Math.min(...chosen.map((k) => k.frame)),
      there = (f) => Math.round(first + later + (f - first) * times);
    if (!chosen.length) throw wordFault('keys-none', { from, to });
    const scaled = (h) => (h ? { ...h, frames: h.frames * times } : h),
      gone = chosen.map((k) => ({ ...k, frame: there(k.frame), before: scaled(k.before), after: scaled(k.after) })),
      stay = own.keys.filter((k) => (copy || !chosen.includes(k)) && !gone.some((g) => g.frame === k.frame)),
      frames = gone.map((k) => k.frame);
    if (new Set(frames).size < frames.length) throw wordFault('keys-meet');
    own.keys = [...stay, ...gone].sort((a, b) => a.frame - b.frame);
    return d;
  });
}

export const hands = {
  moveKeys: guarded((id) => moved(id, false)),
  copyKeys: guarded((id) => moved(id, true)),
};

body.addEventListener('click', (e) => {
  const a = e.target.closest('a[data-frame]');
  if (!a) return;
  e.preventDefault();
  setFrame(Number(a.dataset.frame));
});
