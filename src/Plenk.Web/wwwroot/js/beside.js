// What was pressed keeps its place when the sheet is drawn anew: it stays under the pointer, keeps the caret's frame, and messages stand below it.
const body = document.getElementById('sheet-body'),
  sheet = body.parentElement,
  told = [document.getElementById('told'), document.getElementById('hand-told')];
let pressed = null;

const kinds = 'button, summary, a[data-choose]';
const wordsOf = (e) => e.textContent.trim();
const alike = (words) => [...body.querySelectorAll(kinds)].filter((e) => wordsOf(e) === words);
const named = (e) => ({ words: wordsOf(e), nth: alike(wordsOf(e)).indexOf(e) });
const found = (name) => name && (alike(name.words)[name.nth] ?? null);
const topOf = (e) => e.getBoundingClientRect().top;

body.addEventListener(
  'click',
  (e) => {
    const own = e.target.closest(kinds);
    if (own) pressed = named(own);
  },
  true,
);

/** Messages go below what was pressed, or above the sheet where it is gone. */
export function placeTold() {
  const row = found(pressed)?.closest('.actions, summary, .rows, .reading');
  if (row) row.after(...told);
  else if (told[0].parentElement !== sheet) body.before(...told);
}

/** Messages stand above the sheet again: nothing of it is pressed any more. */
export function letGo() {
  pressed = null;
  body.before(...told);
}

/** Draws the sheet anew by an act, with what was pressed held where it is. */
export function held(act) {
  const own = found(pressed),
    active = body.contains(document.activeElement) && document.activeElement.matches(kinds) ? named(document.activeElement) : null,
    before = own && topOf(own),
    isSeen = own && before > sheet.getBoundingClientRect().top && before < innerHeight,
    scroll = sheet.scrollTop;
  body.before(...told);
  act();
  placeTold();
  const now = found(pressed);
  sheet.scrollTop = scroll;
  if (isSeen && now) sheet.scrollTop += topOf(now) - before;
  if (active && document.activeElement === document.body) found(active)?.focus({ preventScroll: true });
}
