import { toggle } from './handles.js';
import { get, html } from './api.js';
import { measure } from './measuring.js';
import { refresh } from './comp.js';
import { draw } from './picture.js';
import { nextLayer } from './layers.js';
import { guarded } from './told.js';
import { fitPicture } from './view.js';
import './around.js';
import './plan.js';
import { togglePlay } from './rail.js';
import { drawSheet } from './sheet.js';
import { fillWith, showTray, trayPressed } from './tray.js';
import { fromAddress, inLine, load, on, setFrame, setHand, setStep, state, step, takeState, tell } from './state.js';
import { fillVials } from './vial.js';

const $ = (id) => document.getElementById(id);
const order = { nothing: 0, within: 1, near: 2, outside: 3 };

function head() {
  $('undo').disabled = !state.canUndo;
  $('redo').disabled = !state.canRedo;
  $('ledger').textContent = `Ledger · ${state.revision}`;
}

function route() {
  for (const b of document.querySelectorAll('#route [data-step]')) {
    const n = Number(b.dataset.step);
    if (n === state.step) b.setAttribute('aria-current', 'step');
    else b.removeAttribute('aria-current');
    const worst = (state.readings || [])
      .filter((r) => r.step === n)
      .map((r) => r.verdict.toLowerCase())
      .reduce((a, v) => (order[v] > order[a] ? v : a), 'nothing');
    b.querySelector('[data-vial]').dataset.vial = worst;
    b.querySelector('[data-verdict]').textContent = worst === 'nothing' ? 'nothing measured' : worst;
  }
  fillVials($('route'));
}

// The first steps look at the plate, the fourth at the projection, the later ones at what has come of it; each keeps what was chosen.
const looked = { first: 'before', plate: 'before', projection: 'projection', light: 'after', comp: 'after', finish: 'after' };
const group = () =>
  state.step === 1
    ? 'first'
    : state.step < 4
      ? 'plate'
      : state.step === 4
        ? 'projection'
        : state.step === 5
          ? 'light'
          : state.step === 7
            ? 'finish'
            : 'comp';

// What the picture is seen through: one after the other, those that the shot has.
const seenWays = () => [...$('seen-ways').querySelectorAll('[data-seen]')].map((b) => b.dataset.seen);
function seeThrough(way) {
  state.seen = way;
  drawSheet();
  refresh();
}
on('head', () => {
  const ways = seenWays();
  $('seen-ways').hidden = ways.length < 2;
  if (!ways.includes(state.seen)) seeThrough('display');
});
$('seen-ways').addEventListener('click', (e) => e.target.dataset.seen && seeThrough(e.target.dataset.seen));
$('compare').addEventListener('click', (e) => {
  const { compare, stops } = e.target.dataset;
  if (compare) {
    looked[group()] = state.compare = compare;
    for (const b of $('compare').querySelectorAll('[data-compare]')) b.setAttribute('aria-pressed', b === e.target ? 'true' : 'false');
    tell('compare');
  }
  if (stops) {
    state.exposure += Number(stops);
    draw();
  }
});

// What the tray has finished is on the shot now; what failed says why, what came in says what was found.
async function ended(job) {
  if (job.state === 'failed') {
    tell('told', { message: `${job.title}: ${job.message}` });
    return;
  }
  if (['render', 'handover'].includes(job.kind) || (job.state === 'stopped' && !['track', 'depth', 'elsewhere'].includes(job.kind))) return;
  if (job.kind === 'finish-range') {
    measure();
    return;
  } // the shot is as it was, its readings say more
  try {
    takeState(await get(`/api/shots/${state.id}`));
  } catch {
    /* the next change brings it */
  }
  const found = job.output && ['plate', 'bring'].includes(job.kind) ? JSON.parse(job.output) : [];
  if (found.length) tell('told', { notes: found, found: job.kind === 'plate' });
}

// A watched folder took something in: it is seen by itself, unless something of one's own is on its way.
const saved = () => inLine(() => get(`/api/shots/${state.id}`)).catch(() => {});

let polling = 0,
  seen = null; // by job: the state that it was last seen in
async function jobs() {
  clearTimeout(polling);
  let tray;
  try {
    tray = await get(`/api/shots/${state.id}/tray`);
  } catch {
    polling = setTimeout(jobs, 4000);
    return;
  }
  state.jobs = tray.jobs;
  state.picturesBefore = tray.pictures;
  const lives = (s) => s === 'waiting' || s === 'running',
    live = tray.jobs.filter((j) => lives(j.state)),
    was = seen;
  seen = new Map(tray.jobs.map((j) => [j.id, j.state]));
  // One that is seen for the first time may be over already.
  const over = was ? tray.jobs.filter((j) => !lives(j.state) && (!was.has(j.id) || lives(was.get(j.id)))) : [],
    first = live.find((j) => j.state === 'running') || live.at(-1);
  if ((state.step === 8 || state.step === 4) && (over.length || live.some((j) => !was?.has(j.id)))) drawSheet();
  for (const job of over.reverse()) await ended(job);
  if (tray.watched > state.revision && !state.holding) await saved();
  $('tray').dataset.live = first ? first.id : '';
  await showTray($('tray'), live.length ? '' : null);
  tell('jobs');
  polling = setTimeout(jobs, live.length || tray.pictures !== null ? 700 : 1000);
}

function help() {
  $('dialog-content').replaceChildren($('help-dialog').content.firstElementChild.cloneNode(true));
  $('dialog').showModal();
}
async function ledger() {
  fillWith($('dialog-content'), await html(`/shots/${state.id}/parts/Ledger`));
  $('dialog').showModal();
}
$('dialog-content').addEventListener('click', (e) => {
  trayPressed(e);
  if (!e.target.dataset.restore) return;
  $('dialog').close();
  step('restore', Number(e.target.dataset.restore));
});
$('dialog-content').addEventListener('change', (e) => {
  if (e.target.dataset.who === undefined) return;
  document.cookie = `plenk-who=${encodeURIComponent(e.target.value)};path=/;max-age=31536000;samesite=lax`;
});

function way(w) {
  state.way = w;
  $('middle').classList.toggle('above', w === 'above');
  $('middle').classList.toggle('around', w === 'around');
  for (const b of document.querySelectorAll('[data-way]')) b.setAttribute('aria-selected', b.dataset.way === w ? 'true' : 'false');
  tell('way');
  draw();
}

// Strip, rail and sheet fold away for the picture, and come back by themselves where something is told.
function wide(on = !document.body.classList.contains('wide')) {
  document.body.classList.toggle('wide', on);
  $('wide').setAttribute('aria-pressed', String(on));
  draw();
}
$('wide').addEventListener('click', () => wide());
on('told', (m) => m && wide(false));

addEventListener('keydown', (e) => {
  if (e.target.matches('input, select, textarea') || $('dialog').open) return;
  const key = e.key.toLowerCase();
  if ((e.ctrlKey || e.metaKey) && key === 'z') {
    step(e.shiftKey ? 'redo' : 'undo');
    e.preventDefault();
    return;
  }
  // What is chosen is copied, and pasted, as by its button; text that is marked is the browser's.
  const hand = { c: 'copy', v: 'paste' }[key];
  if (hand && (e.ctrlKey || e.metaKey) && String(document.getSelection()) === '') {
    document.querySelector(`#sheet [data-post$="/${hand}"]`)?.click();
    return;
  }
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  if (key >= '1' && key <= '8') setStep(Number(key));
  else if (key === ',' || key === 'arrowleft') setFrame(state.frame - 1);
  else if (key === '.' || key === 'arrowright') setFrame(state.frame + 1);
  else if (key === ' ' && !e.target.matches('button')) togglePlay();
  else if ('rgb'.includes(key)) {
    state.channel = state.channel === key.toUpperCase() ? null : key.toUpperCase();
    draw();
  } else if (key === 'a') {
    state.channel = null;
    draw();
  } else if (key === '[') {
    state.exposure -= 1;
    draw();
  } else if (key === ']') {
    state.exposure += 1;
    draw();
  } else if (key === 'f') fitPicture();
  else if (key === 'w') wide();
  else if (key === 'h') toggle();
  else if (key === 'l') guarded(nextLayer)(e.shiftKey ? -1 : 1);
  else if (key === 't') {
    const w = seenWays();
    seeThrough(w[(w.indexOf(state.seen) + 1) % w.length]);
  } else if (key === 'p') {
    state.alone = !state.alone;
    draw();
  } else if (key === 'v') way({ camera: 'above', above: 'around', around: 'camera' }[state.way]);
  else if (key === 'escape') {
    setHand(null);
    tell('escape');
  } else if (key === '?') help();
  else return;
  e.preventDefault();
});

for (const b of document.querySelectorAll('#route [data-step]'))
  b.addEventListener('click', (e) => {
    if (e.ctrlKey || e.metaKey || e.shiftKey) return;
    e.preventDefault();
    setStep(Number(b.dataset.step));
  });
for (const b of document.querySelectorAll('[data-way]')) b.addEventListener('click', () => way(b.dataset.way));
$('undo').addEventListener('click', () => step('undo'));
$('redo').addEventListener('click', () => step('redo'));
$('ledger').addEventListener('click', ledger);
$('help').addEventListener('click', help);
on('document', () => {
  head();
  measure();
});
on('step', () => {
  const was = state.compare;
  state.compare = looked[group()];
  route();
  if (was !== state.compare) refresh();
});
on('compare', refresh);
on('readings', route);
on('saving', (now) => {
  $('ledger').textContent = now ? 'Saving' : `Ledger · ${state.revision}`;
});
on('jobs-now', jobs);
const asks = fromAddress();
await load();
if (asks.frame) setFrame(asks.frame);
setStep(asks.step || (state.document.plate ? 6 : 1));
jobs();
document.body.dataset.ready = '';
