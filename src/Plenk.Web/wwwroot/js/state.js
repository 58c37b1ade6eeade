// The page's one truth: the shot's document and revision from the server, and where the artist looks.
import { Fault, get, post } from './api.js';
import { editsBetween } from './edits.js';

export const state = {
  id: Number(document.body.dataset.shot),
  revision: 0,
  document: null,
  pictures: [],
  canUndo: false,
  canRedo: false,
  draft: null, // a document that is shown but not saved, while something is dragged
  frame: 0,
  step: 1,
  way: 'camera',
  seen: 'display',
  compare: 'before',
  exposure: 0,
  channel: null,
  wipe: 0.5,
  gain: 4,
  chosen: {
    piece: null,
    element: null,
    point: null,
    light: null,
    projection: null,
    points: [],
    track: null,
    matte: null,
    standIn: null,
    thing: null,
    figure: null,
    finish: null,
    note: null,
    keyed: null,
  },
  page: {}, // what this page alone looks at: sheets are drawn by it, the address does not keep it
  readings: null,
  jobs: [],
  hand: null, // what a click in the picture does next
  wire: true,
  alone: false,
  holding: 0, // so many presses wait for an answer that takes all cores
};

const listeners = new Map();
export function on(topic, act) {
  (listeners.get(topic) || listeners.set(topic, []).get(topic)).push(act);
}
export function tell(topic, data) {
  for (const act of listeners.get(topic) || []) act(data);
}

export function doc() {
  return state.draft || state.document;
}

// What was changed here and is not answered yet, in its order: the page shows it at once, and each is laid on what the one before it came to.
const pending = [];
let saved = null;

function hoped() {
  let d = saved;
  for (const p of pending) {
    // What asks the server for a part of it is seen when it is answered.
    if (p.asks) continue;
    try {
      const next = p.edit(structuredClone(d));
      if (next instanceof Promise) {
        p.asks = true;
        next.catch(() => {});
      } else if (next) d = next;
    } catch {
      /* it says so when its turn comes */
    }
  }
  return d;
}

function take(s) {
  saved = s.document;
  Object.assign(state, {
    revision: s.revision,
    document: hoped(),
    pictures: s.pictures,
    canUndo: s.canUndo,
    canRedo: s.canRedo,
    draft: null,
  });
  const { first, last } = saved.range;
  if (state.frame < first || state.frame > last) state.frame = first;
  tell('document');
}
export const takeState = take;

export async function load() {
  take(await get(`/api/shots/${state.id}`));
}

// One change after the other, each on the revision that the one before it gave. A state that an answer brings is taken here, once.
let queue = Promise.resolve();
export function inLine(act) {
  const turn = queue.then(act).then((r) => {
    const s = r?.state ?? r;
    if (s?.document) take(s);
    return r;
  });
  queue = turn.catch(() => {});
  return turn;
}

// A change that the server makes, on the newest revision of this page.
export const changed = (path, body) => inLine(() => post(`/api/shots/${state.id}/${path}`, { baseRevision: state.revision, ...body }));

// Saves what edit(document) makes of the document. When somebody saved first the artist is told, and the edit is kept to be put on top.
// What the server has written as edits goes to it as it is.
export function save(edit, edits = null) {
  const own = { edit, edits };
  pending.push(own);
  state.document = hoped();
  state.draft = null;
  // In line before anything is asked about what it makes.
  const turn = inLine(() => saveNow(own)).catch(() => {});
  tell('saving', true);
  tell('chosen');
  return turn;
}

async function saveNow(own) {
  const { edit } = own;
  const over = () => {
    pending.splice(pending.indexOf(own), 1);
    tell('saving', pending.length > 0);
  };
  try {
    const edits = own.edits ?? editsBetween(saved, await edit(structuredClone(saved)));
    const answer = edits.length ? await post(`/api/shots/${state.id}/edits`, { edits }) : null;
    over();
    if (answer) take(answer);
    else tell('document');
    tell('told', null);
    return true;
  } catch (e) {
    over();
    state.document = hoped();
    if (e instanceof Fault && e.status === 409) {
      const box = document.getElementById('told-conflict').content.firstElementChild.cloneNode(true);
      box.querySelector('p').textContent = e.message;
      box.querySelector('[data-mine]').addEventListener('click', async () => {
        await load();
        await save(edit, own.edits);
      });
      box.querySelector('[data-leave]').addEventListener('click', async () => {
        tell('told', null);
        await load();
      });
      tell('told', box);
    } else {
      state.draft = null;
      tell('told', e);
      // What the server wrote was of another document than its newest: that one is shown.
      if (own.edits) await load();
      else tell('document');
    }
    return false;
  }
}

export const step = (which, number) =>
  inLine(async () => {
    try {
      take(await post(`/api/shots/${state.id}/${which}`, { baseRevision: state.revision, number }));
      tell('told', null);
    } catch (e) {
      tell('told', e);
      if (e.status === 409) await load();
    }
  });

// Shows a changed document without saving it.
export function show(edit) {
  state.draft = edit(structuredClone(state.document));
  tell('draft');
}

// “kind:id” is chosen, “kind:” nothing; of kinds that the address does not keep the page alone knows. Members of a list come and go.
export function choose(to) {
  const at = to.indexOf(':'),
    kind = to.slice(0, at),
    id = to.slice(at + 1);
  if (!(kind in state.chosen)) {
    if (id) state.page[kind] = id;
    else delete state.page[kind];
  } else if (Array.isArray(state.chosen[kind])) {
    const list = state.chosen[kind];
    state.chosen[kind] = list.includes(id) ? list.filter((q) => q !== id) : [...list, id];
  } else state.chosen[kind] = id || null;
  tell('chose', { kind, id: id || null });
  tell('chosen');
}

// Step, frame and what is chosen stand in the address: a page that is opened again, or sent to somebody, looks where this one does.
const lists = ['points'];
export function query() {
  const q = new URLSearchParams({ step: state.step, frame: state.frame });
  for (const [k, v] of Object.entries(state.chosen)) if (v !== null && v !== undefined && v.length !== 0) q.set(k, v);
  return q;
}
function keepAddress() {
  if (!state.document) return;
  const to = `${location.pathname}?${query()}`;
  if (to !== location.pathname + location.search) history.replaceState(null, '', to);
}
export function fromAddress() {
  const q = new URLSearchParams(location.search);
  for (const [k, v] of q) {
    if (k === 'track') state.chosen[k] = Number(v);
    else if (lists.includes(k)) state.chosen[k] = v.split(',');
    else if (k in state.chosen) state.chosen[k] = v;
  }
  return { step: Number(q.get('step')) || null, frame: Number(q.get('frame')) || null };
}
for (const t of ['frame', 'step', 'chosen', 'document']) on(t, keepAddress);

export function setFrame(frame) {
  const { first, last } = state.document.range;
  const f = Math.max(first, Math.min(last, Math.round(frame)));
  if (f === state.frame) return;
  state.frame = f;
  tell('frame');
}

export function setStep(n) {
  state.step = n;
  state.hand = null;
  tell('step');
}
export function setHand(hand) {
  state.hand = hand;
  tell('hand');
}

// Which picture a frame shows is said by the server.
export function mediaOf(frame) {
  const i = state.pictures[frame - (state.document?.range.first ?? 0)];
  return i === undefined || i === null ? null : state.document.plate.frames[i].media;
}
