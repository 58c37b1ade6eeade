// The page's one truth: the shot's document and revision from the server, and where the artist looks.
import { Fault, get, post, put } from './api.js';
import { button, h } from './build.js';

export const state = {
  id: Number(document.body.dataset.shot),
  revision: 0, document: null, pictures: [], canUndo: false, canRedo: false,
  draft: null, // a document that is shown but not saved, while something is dragged
  frame: 0, step: 1, way: 'camera', seen: 'display', compare: 'before', exposure: 0, channel: null, wipe: 0.5, gain: 4,
  chosen: { piece: null, element: null, point: null, light: null, projection: null, points: [], track: null, matte: null, standIn: null, thing: null, rendered: null, figure: null },
  readings: null, jobs: [], hand: null, // what a click in the picture does next
  wire: true, alone: false,
  holding: 0, // so many presses wait for an answer that takes all cores
};

const listeners = new Map();
export function on(topic, act) { (listeners.get(topic) || listeners.set(topic, []).get(topic)).push(act); }
export function tell(topic, data) { for (const act of listeners.get(topic) || []) act(data); }

export function doc() { return state.draft || state.document; }

function take(s) {
  Object.assign(state, { revision: s.revision, document: s.document, pictures: s.pictures, canUndo: s.canUndo, canRedo: s.canRedo, draft: null });
  const { first, last } = s.document.range;
  if (state.frame < first || state.frame > last) state.frame = first;
  tell('document');
}
export const takeState = take;

export async function load() {
  take(await get(`/api/shots/${state.id}`));
}

// Saves what edit(document) makes of the document, on the present revision. When somebody saved first the artist is told, and the edit is kept to be put on top.
let queue = Promise.resolve();
export function save(what, edit) {
  queue = queue.then(() => saveNow(what, edit)).catch(() => {});
  return queue;
}

async function saveNow(what, edit) {
  try {
    const changed = await edit(structuredClone(state.document));
    take(await put(`/api/shots/${state.id}`, { baseRevision: state.revision, what, document: changed }));
    tell('told', null);
    return true;
  } catch (e) {
    if (e instanceof Fault && e.status === 409) {
      const box = h('div', { class: 'told', role: 'alert' }, h('p', {}, e.message),
        h('div', { class: 'actions' },
          button('Put mine on top', async () => { await load(); await save(what, edit); }, { next: true }),
          button('Leave mine', async () => { tell('told', null); await load(); })));
      tell('told', box);
    } else {
      tell('told', e);
      if (state.draft) { state.draft = null; tell('document'); }
    }
    return false;
  }
}

export async function step(which, number) {
  try {
    take(await post(`/api/shots/${state.id}/${which}`, { baseRevision: state.revision, number }));
    tell('told', null);
  } catch (e) {
    tell('told', e);
    if (e.status === 409) await load();
  }
}

// Shows a changed document without saving it.
export function show(edit) {
  state.draft = edit(structuredClone(state.document));
  tell('draft');
}

export function setFrame(frame) {
  const { first, last } = state.document.range;
  const f = Math.max(first, Math.min(last, Math.round(frame)));
  if (f === state.frame) return;
  state.frame = f;
  tell('frame');
}

export function setStep(n) { state.step = n; state.hand = null; tell('step'); }
export function setHand(hand) { state.hand = hand; tell('hand'); }

// Which picture a frame shows is said by the server.
export function mediaOf(frame) {
  const i = state.pictures[frame - (state.document?.range.first ?? 0)];
  return i === undefined || i === null ? null : state.document.plate.frames[i].media;
}
