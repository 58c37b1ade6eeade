// Parts of the sheet that the server draws when somebody looks; each address is asked for once while it is looked at.
import { html } from './api.js';
import { anew } from './fields.js';
import { fillTold } from './told.js';
import { on, state } from './state.js';
import { fillVials } from './vial.js';

const body = document.getElementById('sheet-body'),
  most = 40;
const parts = new Map(); // by address: what it came to, or why not
const filled = []; // who is told when one stands

export const onFilled = (act) => filled.push(act);

export function fill(e, text) {
  anew(e, () => e.replaceChildren(...new DOMParser().parseFromString(text, 'text/html').body.childNodes));
  fillVials(e);
}
function show(e, { text, fault }) {
  if (fault) anew(e, () => e.replaceChildren(fillTold(fault)));
  else if (text !== undefined) fill(e, text);
}

// Fills what is known into a sheet that is about to stand, and asks for the rest of what is open.
export function loads(root) {
  const wanted = [...root.querySelectorAll('[data-load]')];
  for (const e of wanted) {
    const known = parts.get(e.dataset.load);
    if (known) show(e, known);
    else if (!e.closest('details') || e.closest('details').open) load(e.dataset.load, Number(e.dataset.wait ?? 0));
  }
  // What is no longer looked at is not drawn on.
  const now = new Set(wanted.map((e) => e.dataset.load));
  for (const [url, part] of parts) {
    if (now.has(url)) continue;
    if (part.text === undefined) part.stop.abort();
    if (part.text === undefined || parts.size > most) parts.delete(url);
  }
}

export async function load(url, wait) {
  if (parts.has(url)) return;
  const part = { stop: new AbortController() };
  parts.set(url, part);
  await new Promise((f) => {
    setTimeout(f, wait);
  });
  if (parts.get(url) !== part) return;
  if (state.playing) {
    parts.delete(url);
    return;
  }
  try {
    part.text = await html(url, part.stop.signal);
  } catch (e) {
    if (e.name === 'AbortError') return;
    part.fault = e;
  }
  for (const e of body.querySelectorAll('[data-load]')) if (e.dataset.load === url) show(e, part);
  for (const act of filled) act();
}

// What failed is asked for again once something else is looked at.
on('frame', () => {
  for (const [url, part] of parts) if (part.fault) parts.delete(url);
});
