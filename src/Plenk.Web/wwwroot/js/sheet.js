// The sheet: drawn by the server from what is saved and from where the artist looks; what is typed, the caret and the place on it stay.
import { Fault, html, post, upload } from './api.js';
import { lay, begun, goOn, nameOf, pointTo, settled, take, valueOf, wrongBeside } from './fields.js';
import { put } from './edits.js';
import { fillTold, telling } from './told.js';
import { inLine, on, query, save, setFrame, setStep, state, tell } from './state.js';
import { fillVials } from './vial.js';
import * as mattes from './mattes.js';
import * as moving from './moving.js';
import * as still from './still.js';
import * as tracks from './tracks.js';
import * as edges from './edges.js';
import * as pieces from './pieces.js';
import * as plate from './steps/plate.js';
import * as camera from './steps/camera.js';
import * as projection from './steps/projection.js';
import * as light from './steps/light.js';
import * as contact from './steps/contact.js';
import * as finish from './steps/finish.js';
import * as handOver from './steps/handover.js';

const body = document.getElementById('sheet-body'),
  title = document.getElementById('sheet-title'),
  names = [...document.querySelectorAll('#route [data-step]')].map((a) => a.firstChild.textContent);
// What a step's own script adds: hands that a button takes up, what a field of the page alone tells, what is done once the sheet stands.
const modules = {
  1: [plate],
  2: [camera, tracks, mattes, still, moving],
  3: [pieces, edges, moving],
  4: [projection, mattes],
  5: [light, mattes],
  6: [contact, mattes, moving],
  7: [finish],
  8: [handOver],
};
const all = (act) => (modules[state.step] ?? []).forEach(act);
const handOf = (name) => (modules[state.step] ?? []).find((m) => m.hands?.[name])?.hands[name];

const opened = new Set();
const address = (path) =>
  `/shots/${state.id}${path}?${query()}&${new URLSearchParams(state.page)}&compare=${encodeURIComponent(state.compare)}&seen=${state.seen}&open=${[...opened].join()}`;

let drawing = false,
  again = false,
  drawn = { step: 0, html: '' };
export async function drawSheet() {
  if (!state.document) return;
  title.textContent = names[state.step - 1];
  again = true;
  if (drawing) return;
  drawing = true;
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
}

function stand(step, text) {
  if (drawn.step === step && drawn.html === text) return;
  const sheet = body.parentElement,
    scroll = sheet.scrollTop,
    typed = drawn.step === step ? begun(body) : [],
    next = new DOMParser().parseFromString(text, 'text/html').body;
  drawn = { step, html: text };
  // What stands around the picture comes with it.
  for (const t of next.querySelectorAll('template[data-for]')) {
    document.getElementById(t.dataset.for).replaceChildren(...t.content.childNodes);
    t.remove();
  }
  tell('head');
  loads(next);
  // What is as it was stays: a list that is open is not shut under the pointer.
  const fresh = [...next.childNodes],
    old = [...body.childNodes];
  fresh.forEach((node, i) => {
    if (!old[i]) body.append(node);
    else if (!old[i].isEqualNode(node)) old[i].replaceWith(node);
  });
  for (const node of old.slice(fresh.length)) node.remove();
  fillVials(body);
  keep(step);
  goOn(body, typed);
  refusals();
  sheet.scrollTop = scroll;
  all((m) => m.drawn?.(body));
}

// What is chosen in fields that are no part of the document, like what is handed over, stays as long as the page does.
const kept = new Map();
const ownFields = () => [...body.querySelectorAll('[name]:not([data-at]):not([data-tells]):not([type=hidden]):not([type=file])')];
function keep(step) {
  for (const i of ownFields()) {
    const value = kept.get(`${step}/${i.name}`);
    if (value === undefined) continue;
    if (i.type === 'checkbox') i.checked = value;
    else if (i.tagName !== 'SELECT' || [...i.options].some((o) => o.value === value)) i.value = value;
  }
}
const remember = (i) => kept.set(`${state.step}/${i.name}`, i.type === 'checkbox' ? i.checked : i.value);
const forget = (form) => {
  for (const i of form.querySelectorAll('[name]')) kept.delete(`${state.step}/${i.name}`);
};

// Parts that the server draws when somebody looks; each address is asked for once while it is looked at.
const parts = new Map();
function loads(root) {
  const wanted = [...root.querySelectorAll('[data-load]')];
  for (const e of wanted) {
    const known = parts.get(e.dataset.load);
    if (known?.html) fill(e, known.html);
    else if (!e.closest('details') || e.closest('details').open) ask(e.dataset.load, Number(e.dataset.wait ?? 0));
  }
  // What is no longer looked at is not drawn on.
  const now = new Set(wanted.map((e) => e.dataset.load));
  for (const [url, part] of parts) {
    if (now.has(url)) continue;
    if (!part.html) part.stop.abort();
    if (!part.html || parts.size > 40) parts.delete(url);
  }
}
function fill(e, text) {
  e.replaceChildren(...new DOMParser().parseFromString(text, 'text/html').body.childNodes);
  fillVials(e);
}
async function ask(url, wait) {
  if (parts.has(url)) return;
  const part = { stop: new AbortController(), html: null };
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
    part.html = await html(url, part.stop.signal);
  } catch (fault) {
    if (fault.name === 'AbortError') return;
    for (const e of body.querySelectorAll('[data-load]')) if (e.dataset.load === url) e.replaceChildren(fillTold(fault));
    return;
  }
  for (const e of body.querySelectorAll('[data-load]')) if (e.dataset.load === url) fill(e, part.html);
  all((m) => m.drawn?.(body));
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

// One that is added is chosen at once, and so on.
export function choose(to) {
  const [kind, id] = [to.slice(0, to.indexOf(':')), to.slice(to.indexOf(':') + 1)];
  if (!(kind in state.chosen)) {
    if (id) state.page[kind] = id;
    else delete state.page[kind];
    tell('chosen');
    return;
  }
  state.chosen[kind] = Array.isArray(state.chosen[kind])
    ? state.chosen[kind].includes(id)
      ? state.chosen[kind].filter((q) => q !== id)
      : [...state.chosen[kind], id]
    : id || null;
  all((m) => m.chose?.(kind, id || null));
  tell('chosen');
}
const edited = (edits) => save((d) => edits.reduce(lay, d), edits);

function bodyOf(button) {
  const given = JSON.parse(button.dataset.body ?? '{}');
  for (const name of (button.dataset.with ?? '').split(' ').filter(Boolean)) {
    const i = body.querySelector(`[name="${name}"]`);
    given[name] = i.type === 'checkbox' ? i.checked : valueOf(i);
  }
  return given;
}
// What the API answers: a state of the shot is taken, a value is set at the place that the button names, notes are told.
async function answered(answer, { into, take: part }) {
  const value = part ? answer[part] : answer;
  if (into) await save((d) => put(d, into, value));
  const notes = answer?.notes ?? (answer?.note ? [answer.note] : []);
  if (notes.length) tell('told', { notes, found: !!answer.state });
}
async function send(button) {
  if (button.dataset.telling) tell('told', { message: button.dataset.telling, fine: true });
  state.holding++;
  try {
    const answer = await inLine(() => post(button.dataset.post, { baseRevision: state.revision, ...bodyOf(button) }));
    if (!button.dataset.telling) tell('told', null);
    await answered(answer, button.dataset);
    tell('jobs-now');
  } catch (e) {
    tell('told', e);
  } finally {
    state.holding--;
  }
}
async function bring(form) {
  if (form.dataset.while) tell('told', telling(form.dataset.while));
  const sent = new FormData(form);
  if (![...form.querySelectorAll('input[type=file]')].some((i) => i.files.length)) sent.delete('files');
  try {
    const answer = await inLine(() => upload(form.dataset.upload, sent));
    // What goes on in the tray may be refused there: what was typed stays until it has come in.
    if (!form.dataset.telling) {
      form.reset();
      forget(form);
    }
    tell('told', form.dataset.telling ? telling(form.dataset.telling) : null);
    await answered(answer, form.dataset);
    if (form.dataset.chooses) {
      const [kind, of] = form.dataset.chooses.split(':');
      choose(
        `${kind}:${of
          .split(',')
          .map((k) => answer[k])
          .join('|')}`,
      );
    }
    tell('jobs-now');
  } catch (e) {
    tell('told', e);
  }
}

export function goWorst(r) {
  if (!r) return;
  state.worst = r;
  if (r.frame) setFrame(r.frame);
  tell('chosen');
}

function pressed(e) {
  const next = e.target.closest('a[data-goto]');
  if (next && !e.ctrlKey && !e.metaKey && !e.shiftKey) {
    e.preventDefault();
    setStep(Number(next.dataset.goto));
    return;
  }
  const button = e.target.closest('button, a[data-choose]');
  if (!button || !body.contains(button)) return;
  const { edits, editsOf, post: path, hand, compareWith, choose: to, reading } = button.dataset;
  if (edits || editsOf || path || hand || button.form?.dataset.upload) {
    const bad = wrongBeside(button);
    if (bad) {
      e.preventDefault();
      pointTo(bad);
      return;
    }
  }
  if (button.tagName === 'A' && (e.ctrlKey || e.metaKey || e.shiftKey)) return;
  if (!button.form?.dataset.upload) e.preventDefault();
  if (editsOf) {
    const given = JSON.parse(body.querySelector(`[name="${editsOf}"]`).value);
    edited(given.edits);
    choose(given.choose);
    return;
  }
  if (edits) edited(JSON.parse(edits));
  if (to !== undefined) choose(to);
  if (path) send(button);
  if (hand) handOf(hand)(button.dataset.on, button);
  if (compareWith) {
    if (compareWith.startsWith('version')) state.other ??= Math.max(1, state.revision - 1);
    state.compare = state.compare === compareWith ? 'after' : compareWith;
    tell('compare');
  }
  if (reading) {
    if (button.dataset.curve !== undefined) state.railReading = reading;
    goWorst(JSON.parse(button.dataset.worst || 'null'));
  }
}

function changed(e) {
  const i = e.target;
  if (i.dataset.tells === 'compare') {
    state.compare = i.value;
    tell('compare');
  } else if (i.dataset.tells) {
    const value = valueOf(i),
      { tells } = i.dataset;
    if (value === undefined) return;
    if (tells.startsWith('choose:')) choose(`${tells.slice(7)}:${value ?? ''}`);
    else handOf(tells)(i.dataset.on, i, value);
  } else if (i.dataset.at || i.dataset.edits) typed(i);
  else if (i.name && i.type !== 'file') {
    remember(i);
    valueOf(i);
  }
}

body.addEventListener('click', (e) => pressed(e));
body.addEventListener('change', (e) => changed(e));
body.addEventListener('keydown', (e) => {
  if (!e.target.matches('input, select, textarea')) return;
  e.stopPropagation();
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
    const key = e.target.dataset.fold;
    if (e.target.open === opened.has(key)) return;
    if (e.target.open) opened.add(key);
    else opened.delete(key);
    for (const part of e.target.querySelectorAll('[data-load]')) if (e.target.open && !part.childNodes.length) ask(part.dataset.load, 0);
  },
  true,
);

// A message stands above the sheet until something else is told; what a step found stays with it.
const told = document.getElementById('told');
on('told', (m) => {
  if (m instanceof Fault && m.at && body.querySelector(`[data-at="${CSS.escape(m.at)}"]`)) {
    refused.set(m.at, m);
    refusals();
    return;
  }
  told.replaceChildren(...(m ? [m instanceof Node ? m : fillTold(m)] : []));
});
on('step', () => {
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
  if (plateOf !== null && plateOf !== own) for (const k of [...kept.keys()]) if (k.startsWith('1/')) kept.delete(k);
  plateOf = own;
});
for (const t of ['document', 'step', 'chosen', 'compare', 'hand']) on(t, drawSheet);
for (const t of ['solve', 'tracks'])
  on(t, () => {
    if (state.step === 2) drawSheet();
  });
on('frame', () => {
  if (!state.playing && [2, 4, 5, 7, 8].includes(state.step)) drawSheet();
});
on('readings', async () => {
  const box = document.getElementById('readings');
  if (!box) return;
  try {
    const text = await html(address('/parts/Readings')),
      typedThere = begun(box);
    fill(box, text);
    goOn(box, typedThere);
  } catch {
    /* the next one says it */
  }
});
