// The sheet: drawn by the server from what is saved and from where the artist looks; what is typed, the caret and the place on it stay.
import { Fault, html } from './api.js';
import { held, letGo, placeTold } from './beside.js';
import { anew, forgetAll, isDrawing, keep, nameOf, remember, settled, take, valueOf } from './fields.js';
import { modulesOf } from './modules.js';
import { fill, load, loads, onFilled } from './parts.js';
import { bring, pressed } from './press.js';
import { fillTold } from './told.js';
import { choose, on, query, state, tell } from './state.js';
import { fillVials } from './vial.js';
const body = document.getElementById('sheet-body'),
  title = document.getElementById('sheet-title'),
  names = [...document.querySelectorAll('#route [data-step]')].map((a) => a.firstChild.textContent);
const all = (act) => modulesOf(state.step).forEach(act);
onFilled(() => {
  all((m) => m.drawn?.(body));
  placeTold();
});
const handOf = (name) => modulesOf(state.step).find((m) => m.hands?.[name])?.hands[name];

// Folds that a hand has opened or shut stay so; others stand as the server draws them.
const byHand = new Map(),
  served = new WeakMap();
const touched = (fold) => {
  if (fold.open !== served.get(fold)) byHand.set(fold.dataset.fold, fold.open);
};
const opened = () => [...byHand].filter(([, open]) => open).map(([key]) => key);
const address = (path) =>
  `/shots/${state.id}${path}?${query()}&${new URLSearchParams(state.page)}&compare=${encodeURIComponent(state.compare)}&seen=${state.seen}&open=${opened().join()}`;

let drawing = false,
  again = false,
  // The server drew the page with it: what was begun there already stays too.
  drawn = { step: Number(body.dataset.step), html: '' };
export async function drawSheet() {
  if (!state.document) return;
  title.textContent = names[state.step - 1];
  again = true;
  if (drawing) return;
  drawing = true;
  body.ariaBusy = 'true';
  while (again) {
    again = false;
    const { step } = state;
    try {
      const text = await html(`${address('')}&handler=Sheet`);
      if (step === state.step && !again) stand(step, text);
    } catch (e) {
      tell('told', e);
    }
  }
  drawing = false;
  body.ariaBusy = 'false';
}

function stand(step, text) {
  if (drawn.step === step && drawn.html === text) {
    all((m) => m.drawn?.(body));
    return;
  }
  const isSame = drawn.step === step,
    next = new DOMParser().parseFromString(text, 'text/html').body;
  drawn = { step, html: text };
  // What stands around the picture comes with it.
  for (const t of next.querySelectorAll('template[data-for]')) {
    document.getElementById(t.dataset.for).replaceChildren(...t.content.childNodes);
    t.remove();
  }
  tell('head');
  // Also one that was opened while this was on its way.
  for (const fold of body.querySelectorAll('details[data-fold]')) touched(fold);
  for (const fold of next.querySelectorAll('details[data-fold]'))
    if (byHand.has(fold.dataset.fold)) fold.open = byHand.get(fold.dataset.fold);
  loads(next);
  body.dataset.step = step;
  held(() => {
    anew(
      body,
      () => {
        // What is as it was stays: a list that is open is not shut under the pointer.
        const fresh = [...next.childNodes],
          old = [...body.childNodes];
        fresh.forEach((node, i) => {
          if (!old[i]) body.append(node);
          else if (!old[i].isEqualNode(node)) old[i].replaceWith(node);
        });
        for (const node of old.slice(fresh.length)) node.remove();
        showChosen();
        for (const fold of body.querySelectorAll('details[data-fold]')) served.set(fold, fold.open);
        fillVials(body);
        keep(body);
      },
      isSame,
    );
    refusals();
    all((m) => m.drawn?.(body));
  });
}

// In a list that is longer than its room the chosen row is seen.
function showChosen() {
  for (const row of body.querySelectorAll('.long [aria-pressed=true]')) {
    const list = row.closest('.long'),
      [top, bottom] = [row.parentElement.offsetTop - list.offsetTop, row.parentElement.offsetTop - list.offsetTop + row.offsetHeight];
    if (top < list.scrollTop) list.scrollTop = top;
    else if (bottom > list.scrollTop + list.clientHeight) list.scrollTop = bottom - list.clientHeight;
  }
}

// What the server refused stands at its field until something else is typed there.
const refused = new Map();
function refusals() {
  for (const [at, e] of refused) {
    const input = body.querySelector(`[data-at="${CSS.escape(at)}"]`);
    if (!input) continue;
    input.setAttribute('aria-invalid', 'true');
    const row = input.closest('.field, .tick') ?? input;
    if (!row.nextElementSibling?.classList.contains('told')) row.after(fillTold(e));
  }
}

async function typed(input) {
  const name = nameOf(input),
    { value } = input,
    { at } = input.dataset;
  refused.delete(at);
  const good = await take(input);
  if (good) settled(body, name, value);
  if (good !== null) drawSheet();
}

function changed(e) {
  const i = e.target;
  if (isDrawing()) return;
  if (i.dataset.tells === 'compare') {
    state.compare = i.value;
    tell('compare');
  } else if (i.dataset.tells) {
    const value = valueOf(i),
      { tells } = i.dataset;
    if (value === undefined) return;
    // From now on the sheet shows what comes of it.
    if (i.tagName === 'INPUT') i.defaultValue = i.value;
    if (tells.startsWith('choose:')) choose(`${tells.slice(7)}:${value ?? ''}`);
    else handOf(tells)(i.dataset.on, i, value);
  } else if (i.dataset.at || i.dataset.edits) typed(i);
  else if (i.name && i.type !== 'file') {
    remember(i);
    valueOf(i);
  }
}

body.addEventListener('click', (e) => pressed(e, handOf));
body.addEventListener('change', (e) => changed(e));
body.addEventListener('keydown', (e) => {
  // A link that is a button is pressed by the space bar too.
  if (e.key === ' ' && e.target.matches('a[role=button]')) {
    e.preventDefault();
    e.stopPropagation();
    e.target.click();
  }
  if (!e.target.matches('input, select, textarea')) return;
  e.stopPropagation();
  if (e.altKey && e.code === 'KeyK') {
    e.preventDefault();
    e.target.closest('.field, .tick')?.querySelector('button.key')?.click();
  }
  if (e.key === 'Enter' && e.target.dataset.at) {
    e.preventDefault();
    typed(e.target);
  }
});
body.addEventListener('submit', (e) => {
  e.preventDefault();
  if (e.target.dataset.upload) bring(e.target);
});
// At the press on its title a fold is still as it was.
body.addEventListener(
  'toggle',
  (e) => {
    touched(e.target);
    for (const part of e.target.querySelectorAll('[data-load]')) if (e.target.open && !part.childNodes.length) load(part.dataset.load, 0);
  },
  true,
);

// A message stands until something else is told; what a step found stays with it.
const told = document.getElementById('told');
on('told', (m) => {
  if (m instanceof Fault && m.at && body.querySelector(`[data-at="${CSS.escape(m.at)}"]`)) {
    refused.set(m.at, m);
    refusals();
    return;
  }
  told.replaceChildren(...(m ? [m instanceof Node ? m : fillTold(m)] : []));
  placeTold();
});
on('step', () => {
  letGo();
  refused.clear();
  if (told.querySelector('[role=status]')) told.replaceChildren();
});
on('hand', () => {
  const box = document.getElementById('hand-told');
  box.hidden = !state.hand;
  box.className = state.hand ? 'told fine' : '';
});
let plateOf = null;
on('document', () => {
  const own = JSON.stringify(state.document.plate?.frames[0]?.media ?? null);
  if (plateOf !== null && plateOf !== own) forgetAll(1);
  plateOf = own;
});
for (const t of ['document', 'step', 'chosen', 'compare']) on(t, drawSheet);
for (const t of ['solve', 'tracks'])
  on(t, () => {
    if (state.step === 2) drawSheet();
  });
on('frame', () => {
  if (!state.playing) drawSheet();
});
on('readings', async () => {
  const box = document.getElementById('readings');
  if (!box) return;
  if (state.measuring?.failed) {
    box.replaceChildren(document.getElementById('not-measured').content.firstElementChild.cloneNode(true));
    box.querySelector('[data-why]').textContent = state.measuring.failed;
    box.querySelector('button').addEventListener('click', () => tell('measure-again'));
    return;
  }
  try {
    fill(box, await html(address('/parts/Readings')));
  } catch {
    /* the next one says it */
  }
});
