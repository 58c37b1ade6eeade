// An element is taken by the pointer and carried over the set; corners stand about the chosen one.
import { refresh } from './comp.js';
import { setAt } from './keys.js';
import { kept } from './over.js';
import { pickAny } from './pick.js';
import { save, show, state, tell } from './state.js';
import { guarded } from './told.js';
import { apart, view } from './view.js';

export function draw({ at, both }, over) {
  const e = over?.elements?.find((x) => x.id === state.chosen.element);
  if (!e?.outline) return [];
  const [l, t, r, b] = e.outline,
    s = 14 / view.zoom;
  return [
    both(
      `M${at(l, t + s)}L${at(l, t)}L${at(l + s, t)}M${at(r - s, t)}L${at(r, t)}L${at(r, t + s)}M${at(r, b - s)}L${at(r, b)}L${at(r - s, b)}M${at(l + s, b)}L${at(l, b)}L${at(l, b - s)}`,
      1.8,
      '',
    ),
  ];
}

const placed = (id, point) => (d) => setAt(d, `elements/${id}/position`, point);

// Follows the pointer as fast as answers come; always ends where it was last.
const run = guarded(async (held) => {
  while (held.element && held.to) {
    const p = held.to;
    held.to = null;
    if (!held.point && apart(p, held.from) < 3) continue;
    const { onSet } = await pickAny(p.x + held.dx, p.y + held.dy);
    if (!onSet) continue;
    held.point = kept(`elements/${held.element}`, onSet);
    show(placed(held.element, held.point));
    if (!held.over) await refresh();
  }
});
function follow(held) {
  held.following ??= run(held).finally(() => {
    held.following = null;
  });
  return held.following;
}

// It is taken where it was touched: its foot keeps its distance from the pointer.
const take = guarded(async (held, over) => {
  const { elementId } = await pickAny(held.from.x, held.from.y);
  state.chosen.element = elementId ?? null;
  tell('chosen');
  if (!elementId) return;
  const foot = over?.elements?.find((x) => x.id === elementId)?.foot;
  Object.assign(held, { element: elementId, dx: foot ? foot[0] - held.from.x : 0, dy: foot ? foot[1] - held.from.y : 0 });
  follow(held);
});

export function press(from, over) {
  const held = { from, to: null, over: false, element: null, point: null, following: null },
    taken = take(held, over);
  return {
    move(p) {
      held.to = p;
      follow(held);
    },
    // What was touched may be known only after it was let go: then it goes there at once.
    async release() {
      held.over = true;
      await taken;
      await follow(held);
      if (held.point) await save(placed(held.element, held.point));
    },
  };
}
