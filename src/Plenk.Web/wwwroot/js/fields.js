// What is typed on a sheet becomes an edit of the place that its field names. Fields are drawn by the server, which says their units, bounds and what they begin as.
import { escaped, move, put } from './edits.js';
import { parseNumber, texts } from './quantity.js';
import { save, state } from './state.js';

function wrong(input, why) {
  input.setAttribute('aria-invalid', 'true');
  input.title = why;
  return undefined;
}
function numberOf(input) {
  const { unit, min, max, none, per } = input.dataset,
    text = input.value.trim();
  if (none === 'empty' && !text) return null;
  const v = parseNumber(text, unit);
  if (Number.isNaN(v) || v < Number(min ?? -Infinity) || v > Number(max ?? Infinity))
    return wrong(
      input,
      `A number${unit ? ` in ${unit}` : ''}${min !== undefined ? ` from ${min}` : ''}${max !== undefined ? ` to ${max}` : ''}`,
    );
  if (none === 'zero' && !(v > 0)) return null;
  const whole = input.dataset.whole !== undefined ? Math.round(v) : v;
  return per === undefined ? whole : whole / Number(per);
}

// The value that a field's text stands for; undefined: none, and the field says why.
export function valueOf(input) {
  input.setAttribute('aria-invalid', 'false');
  input.title = '';
  const { shape, none, hint } = input.dataset;
  if (shape === 'tick') return input.checked;
  if (shape === 'number') return numberOf(input);
  if (shape === 'triple') {
    // What was not typed anew keeps all its digits, not only those shown.
    const parts = [...input.closest('.triple').querySelectorAll('input')].map((i) =>
      i.value === i.defaultValue ? Number(i.dataset.value) : numberOf(i),
    );
    return parts.includes(undefined) ? undefined : parts;
  }
  const text = input.value.trim();
  if ((none === 'empty' || shape === 'choice') && !text) return null;
  const value = input.required && !text ? undefined : texts[shape ?? 'text'](text);
  return value === undefined ? wrong(input, hint || '') : value;
}

const unchanged = (input, value) =>
  input.dataset.shape === 'number' && input.dataset.value !== undefined && input.dataset.per === undefined
    ? value !== null && Math.abs(value - Number(input.dataset.value)) <= 1e-12
    : false;

// Saves what was typed into a field. The promise says whether it was taken.
export async function take(input) {
  const value = valueOf(input);
  if (value === undefined || input.dataset.sent === input.value + input.checked) return null;
  if (unchanged(input, value)) {
    input.defaultValue = input.value;
    return null;
  }
  input.dataset.sent = input.value + input.checked;
  const { at, begins, edits } = input.dataset,
    given = edits ? JSON.parse(edits) : null;
  if (given) return save((d) => given.reduce(lay, d), given);
  return save((d) => put(d, at, value, begins ? JSON.parse(begins) : null));
}

// An edit as the server has written it, on the page's own copy.
export function lay(d, edit) {
  if (edit.edit === 'remove') return put(d, edit.at, undefined);
  if (edit.edit === 'move') return move(d, edit.at, edit.before ?? null);
  if (edit.edit === 'add')
    return put(d, `${edit.at}/${escaped(String(edit.item.id ?? edit.item.name ?? edit.item.frame))}`, edit.item, null, edit.before);
  return put(d, edit.at, edit.to);
}

// A number that is none, in the same part of the sheet: what stands beside it waits until it is mended. Null: none is.
export function wrongBeside(button) {
  const body = button.closest('#sheet-body'),
    top = body && [...body.children].find((c) => c.contains(button)),
    isHead = (c) => ['H2', 'H3'].includes(c.tagName);
  for (let part = top; part && !(isHead(part) && part !== top); part = part.previousElementSibling) {
    const bad = part.matches('[aria-invalid=true]') ? part : part.querySelector('[aria-invalid=true]');
    if (bad) return bad;
  }
  return null;
}
export function pointTo(bad) {
  bad.focus();
  bad.setCustomValidity(bad.title || 'This is not what can stand here.');
  bad.reportValidity();
  bad.addEventListener('input', () => bad.setCustomValidity(''), { once: true });
}

// What was begun on the sheet outlives its being drawn anew: texts that are not taken yet, chosen files, the place of the caret.
// Choosers of files all have one name; what they are for says which.
const nameOf = (i) =>
  `${(i.type !== 'file' && i.name) || i.getAttribute('aria-label') || i.labels?.[0]?.textContent || ''}${i.dataset.part ?? ''}`;
const fieldsIn = (body) => [...body.querySelectorAll('input:not([type=checkbox]):not([type=hidden]), textarea')];
const isDirty = (i) => i.value !== i.defaultValue;
const begun = (body) =>
  fieldsIn(body)
    .filter((i) => i.files?.length || isDirty(i) || i === document.activeElement)
    .map((i) => ({
      i,
      name: nameOf(i),
      value: i.value,
      dirty: isDirty(i),
      sent: i.dataset.sent,
      active: i === document.activeElement,
      from: i.type === 'text' ? i.selectionStart : null,
      to: i.type === 'text' ? i.selectionEnd : null,
    }));
// Draws fields anew by an act: what was begun stays, and nothing is taken half typed. A browser says of a field that goes that it has changed.
let drawing = 0;
export const isDrawing = () => drawing > 0;
export function anew(within, act, isSame = true) {
  const typed = isSame ? begun(within) : [];
  drawing++;
  try {
    act();
  } finally {
    drawing--;
  }
  goOn(within, typed);
}
function goOn(body, typed) {
  const now = fieldsIn(body);
  for (const t of typed) {
    const i = now.find((k) => nameOf(k) === t.name && k.type === t.i.type);
    if (!i) continue;
    if (t.i.files) {
      if (t.i.files.length) i.files = t.i.files;
      continue;
    }
    if (t.dirty) {
      i.value = t.value;
      i.setAttribute('aria-invalid', t.i.getAttribute('aria-invalid') || 'false');
      if (t.sent !== undefined) i.dataset.sent = t.sent;
    }
    if (t.active) {
      i.focus({ preventScroll: true });
      if (t.from !== null) i.setSelectionRange(Math.min(t.from, i.value.length), Math.min(t.to, i.value.length));
    }
  }
}
// What was sent is taken: from now on the sheet shows what the server says.
export function settled(body, name, value) {
  const i = fieldsIn(body).find((k) => nameOf(k) === name);
  if (!i || i.value !== value) return;
  // Another part of a triple that is typed before the sheet comes back counts with what this one is now.
  const { value: was, per } = i.dataset,
    now = was !== undefined && per === undefined ? numberOf(i) : undefined;
  if (typeof now === 'number') i.dataset.value = String(now);
  i.defaultValue = value;
}
export { nameOf };

// What is chosen in fields that are no part of the document, like what is handed over, stays as long as the page does.
const kept = new Map();
export function keep(body) {
  for (const i of body.querySelectorAll('[name]:not([data-at]):not([data-tells]):not([type=hidden]):not([type=file])')) {
    const value = kept.get(`${state.step}/${i.name}`);
    if (value === undefined) continue;
    if (i.type === 'checkbox') i.checked = value;
    else if (i.tagName !== 'SELECT' || [...i.options].some((o) => o.value === value)) i.value = value;
  }
}
export const remember = (i) => kept.set(`${state.step}/${i.name}`, i.type === 'checkbox' ? i.checked : i.value);
export function forget(form) {
  for (const i of form.querySelectorAll('[name]')) kept.delete(`${state.step}/${i.name}`);
}
export function forgetAll(step) {
  for (const k of [...kept.keys()]) if (k.startsWith(`${step}/`)) kept.delete(k);
}
