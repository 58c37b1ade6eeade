import { get, post } from './api.js';
import { button, h, sayRate, sayTime } from './build.js';
import { draw, fitPicture, refresh } from './picture.js';
import './around.js';
import './plan.js';
import { togglePlay } from './rail.js';
import { drawSheet } from './sheet.js';
import { fromAddress, load, on, setFrame, setHand, setStep, state, step, takeState, tell } from './state.js';
import { fillVials } from './vial.js';

const $ = (id) => document.getElementById(id);
const order = { nothing: 0, within: 1, near: 2, outside: 3 };

function head() {
  const d = state.document;
  $('facts').textContent =
    `${d.range.first}–${d.range.last}${d.cut ? ` (cut ${d.cut.first}–${d.cut.last})` : ''} · ${sayRate(d.rate)} fps${d.plate?.fullWidth ? ` · proxy of ${d.plate.fullWidth}×${d.plate.fullHeight}` : ''}${d.plate?.focalMm ? ` · ${d.plate.focalMm} mm on ${d.plate.sensorWidthMm} × ${d.plate.sensorHeightMm}` : ''}`;
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
export function seenWays() {
  const { look = {}, plate } = state.document;
  return [
    'display',
    ...(look.cdl || look.lutMedia ? ['look'] : []),
    ...(look.curve ? ['curve'] : []),
    ...(plate && (plate.encoding.toLowerCase() !== 'srgb' || plate.primaries) ? ['codes'] : []),
  ];
}
function seeThrough(way) {
  state.seen = way;
  looking();
  refresh();
}
function looking() {
  const ways = seenWays();
  if (!ways.includes(state.seen)) state.seen = 'display';
  const b = $('seen-ways');
  b.hidden = ways.length < 2;
  b.replaceChildren(
    ...ways.map((w) =>
      h(
        'button',
        {
          class: 'plain',
          type: 'button',
          'aria-pressed': w === state.seen ? 'true' : 'false',
          title: 'What the picture is seen through (T goes on to the next)',
          onclick: () => seeThrough(w),
        },
        { display: 'Display', look: 'Look', curve: 'Curve', codes: 'Codes' }[w],
      ),
    ),
  );
}

function compareButtons() {
  const ways =
    state.step === 4
      ? [
          ['before', 'Plate'],
          ['projection', 'Projected'],
          ['projection-difference', 'Difference'],
          ['texels', 'Texels'],
          ['stretch', 'Stretch'],
          ['source', 'Source'],
          ...(state.document.lights.some((l) => !l.off) ? [['own-colour', 'Own colour']] : []),
        ]
      : state.step === 1 && state.document.plate?.grainFree
        ? [
            ['before', 'Plate'],
            ['grain-free', 'Grain-free'],
          ]
        : [
            ['before', 'Before'],
            ['after', 'After'],
            ['wipe', 'Wipe'],
            ['difference', 'Difference'],
            ...(state.step === 5 && state.document.lights.some((l) => !l.off && l.inPlate !== false)
              ? [
                  ['set-lit', 'Set lit'],
                  ['light-left', 'Left over'],
                ]
              : []),
          ];
  $('compare').replaceChildren(
    ...ways.map(([w, t]) =>
      h(
        'button',
        {
          class: 'plain',
          type: 'button',
          'aria-pressed': w === state.compare ? 'true' : 'false',
          'data-compare': w,
          onclick: () => {
            looked[group()] = state.compare = w;
            tell('compare');
          },
        },
        t,
      ),
    ),
    h(
      'button',
      {
        class: 'plain',
        type: 'button',
        title: 'One stop darker ([)',
        onclick: () => {
          state.exposure -= 1;
          draw();
        },
      },
      '−1',
    ),
    h(
      'button',
      {
        class: 'plain',
        type: 'button',
        title: 'One stop brighter (])',
        onclick: () => {
          state.exposure += 1;
          draw();
        },
      },
      '+1',
    ),
  );
}

let asked = 0;
async function measure() {
  const mine = ++asked;
  Object.assign(state, { readings: null, measuring: null });
  tell('readings');
  // Measuring waits until the hand rests.
  await new Promise((f) => {
    setTimeout(f, 600);
  });
  for (let i = 0, failed = 0; mine === asked; i++) {
    // Nobody asks, nothing is measured: while one plays or waits for something else the cores are for that.
    if (!state.playing && !state.holding && !document.hidden) {
      try {
        const r = await get(`/api/shots/${state.id}/readings?revision=${state.revision}`);
        failed = 0;
        if (mine !== asked) return;
        if (Array.isArray(r)) {
          Object.assign(state, { readings: r, measuring: null });
          tell('readings');
          return;
        }
        state.measuring = r;
      } catch (e) {
        failed++;
        state.measuring = { failed: e.message };
      }
      tell('readings');
      if (failed === 5) return;
    }
    await new Promise((f) => {
      setTimeout(f, i < 50 ? 400 : 1500);
    });
  }
}
on('measure-again', measure);

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

function trayRow(job) {
  if (job.state === 'waiting')
    return [
      `${job.title}: `,
      h('span', { class: 'quiet' }, job.waits || 'waits'),
      button('Stop', () => post(`/api/jobs/${job.id}/stop`, {})),
    ];
  const left = job.secondsPerItem ? ` · ${sayTime((job.total - job.done) * job.secondsPerItem)} left` : '',
    share = (100 * job.done) / Math.max(1, job.total);
  const bar = h(
    'span',
    { class: 'bar', role: 'progressbar', 'aria-label': job.title, 'aria-valuenow': job.done, 'aria-valuemax': job.total },
    h('i', { style: `width:${share}%` }),
  );
  return [
    job.title,
    bar,
    h(
      'span',
      { class: 'num', title: job.message },
      ['render', 'handover'].includes(job.kind) ? `${job.done} of ${job.total}${left}` : `${Math.round(share)} %${left}`,
    ),
    button('Stop', () => post(`/api/jobs/${job.id}/stop`, {})),
  ];
}

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
  $('tray').dataset.live = first ? first.id : '';
  $('tray').replaceChildren(
    ...(first
      ? [
          ...trayRow(first),
          live.length > 1
            ? button(`and ${live.length - 1} more`, () =>
                dialog(h('h2', {}, 'Under way'), ...live.map((j) => h('p', { class: 'tray' }, ...trayRow(j)))),
              )
            : '',
        ]
      : []),
  );
  tell('jobs');
  polling = setTimeout(jobs, live.length || tray.pictures !== null ? 700 : 4000);
}

const shortcuts = [
  ['1 … 8', 'steps'],
  [', and .', 'a frame back, a frame on (also the arrows)'],
  ['Space', 'play and stop'],
  ['R G B A', 'one channel; A: all'],
  ['[ and ]', 'a stop darker, brighter'],
  ['T', 'seen through display, look, curve, codes'],
  ['F', 'fit the picture'],
  ['Wheel', 'zoom to pixels; Alt-drag moves the picture'],
  ['P', 'the picture alone, without drawings'],
  ['V', 'through the camera, from above, around'],
  ['Ctrl Z, Ctrl Shift Z', 'undo, redo'],
  ['Escape', 'put down what was begun'],
  ['?', 'this list'],
];
function dialog(...content) {
  $('dialog').replaceChildren(
    ...content,
    h(
      'div',
      { class: 'actions' },
      button('Close', () => $('dialog').close()),
    ),
  );
  $('dialog').showModal();
}
const help = () =>
  dialog(
    h('h2', {}, 'By hand'),
    h('table', { class: 'plainly' }, ...shortcuts.map(([k, t]) => h('tr', {}, h('td', { class: 'mono' }, k), h('td', {}, t)))),
  );
async function ledger() {
  const list = await get(`/api/shots/${state.id}/ledger`);
  const name = decodeURIComponent(document.cookie.match(/plenk-who=([^;]*)/)?.[1] ?? 'artist');
  const who = h('input', {
    class: 'blank wide',
    value: name,
    'aria-label': 'Your name',
    onchange: () => {
      document.cookie = `plenk-who=${encodeURIComponent(who.value)};path=/;max-age=31536000;samesite=lax`;
    },
  });
  who.addEventListener('keydown', (e) => e.stopPropagation());
  dialog(
    h('h2', {}, 'Ledger'),
    h('p', {}, 'Your changes are signed ', who),
    h(
      'table',
      { class: 'plainly' },
      ...list.map((r) =>
        h(
          'tr',
          {},
          h('td', { class: 'num' }, String(r.number)),
          h('td', {}, r.what),
          h('td', {}, r.who),
          h('td', { class: 'quiet num' }, new Date(r.at).toLocaleString('en-GB')),
          h(
            'td',
            {},
            r.number === state.revision
              ? 'now'
              : button('Go back to this', async () => {
                  $('dialog').close();
                  await step('restore', r.number);
                }),
          ),
        ),
      ),
    ),
  );
}

function way(w) {
  state.way = w;
  $('middle').classList.toggle('above', w === 'above');
  $('middle').classList.toggle('around', w === 'around');
  for (const b of document.querySelectorAll('[data-way]')) b.setAttribute('aria-selected', b.dataset.way === w ? 'true' : 'false');
  tell('way');
  draw();
}

addEventListener('keydown', (e) => {
  if (e.target.matches('input, select, textarea') || $('dialog').open) return;
  const key = e.key.toLowerCase();
  if ((e.ctrlKey || e.metaKey) && key === 'z') {
    step(e.shiftKey ? 'redo' : 'undo');
    e.preventDefault();
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
  compareButtons();
  looking();
  measure();
});
on('step', () => {
  const was = state.compare;
  state.compare = looked[group()];
  route();
  compareButtons();
  if (was !== state.compare) refresh();
});
on('compare', () => {
  compareButtons();
  refresh();
});
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
