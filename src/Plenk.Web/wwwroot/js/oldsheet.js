// The sheet: what is in the step, its controls, and below them its readings.
import { get, post, upload } from './api.js';
import {
  button,
  choice,
  encodings,
  h,
  heading,
  notes,
  number,
  primaries,
  quiet,
  rows,
  sayRate,
  show as text3,
  text,
  told,
  triple,
  usualPrimaries,
} from './build.js';
import { changed, inLine, on, save, setFrame, setHand, state, tell } from './state.js';
import { contactSection } from './contact.js';
import { handOverSection } from './handover.js';
import { projectionSection } from './footage.js';
import { levelSection } from './level.js';
import { lightSection } from './lights.js';
import { movingSection } from './moving.js';
import { newId, setSection } from './pieces.js';
import { plateSection } from './plate.js';
import { stillSection } from './still.js';
import { trackSection } from './tracks.js';
import { vial } from './vial.js';

import { begun, goOn } from './fields.js';

const sheet = document.getElementById('sheet-body');
const api = (path) => `/api/shots/${state.id}/${path}`;

async function bring(path, form) {
  tell('told', h('p', { class: 'quiet', role: 'status' }, 'Sending it.'));
  try {
    const result = await inLine(() => upload(api(path), form));
    // What takes long goes on in the tray, also when the page is left.
    if (path.startsWith('plate')) {
      tell('told', h('p', { class: 'quiet', role: 'status' }, 'Every frame is looked at; the tray shows how far it is.'));
      tell('jobs-now');
      return;
    }
    tell('told', result.notes.length ? notes(result.notes) : null);
  } catch (e) {
    tell('told', e);
  }
}

// A file chooser with its fields: what was typed stays when it is refused.
function bringIn(label, path, accept, fields = [], multiple = false) {
  const file = h('input', { type: 'file', accept, multiple, 'aria-label': label });
  return h(
    'div',
    {},
    ...fields,
    h(
      'div',
      { class: 'actions' },
      file,
      button(label, () => {
        const form = new FormData();
        for (const f of file.files) form.append('files', f, f.name);
        for (const i of sheet.querySelectorAll('[name]')) form.append(i.name, i.value);
        bring(path, form);
      }),
    ),
  );
}

const nextPoint = (d) => {
  let k = 1;
  while (d.surveyPoints.some((s) => s.name === `P${k}`)) k++;
  return `P${k}`;
};

// A point that clicks alone made is placed anew whenever its clicks change.
async function placed(document, point) {
  if (!point.fromClicks) return document;
  point.position = null;
  if (document.camera && point.clicks.length > 1)
    point.position = (await post(api(`survey/${encodeURIComponent(point.name)}/locate`), { document })).position;
  return document;
}

function clickPoint(name, at) {
  const frame = state.frame;
  return save(`Clicked ${name} at ${frame}`, (x) => {
    let s = x.surveyPoints.find((q) => q.name === name);
    if (!s) {
      s = { name, position: null, fromClicks: true, clicks: [] };
      x.surveyPoints.push(s);
    }
    s.clicks = [...s.clicks.filter((c) => c.frame !== frame), { frame, x: at.x, y: at.y }];
    return placed(x, s);
  });
}

// A camera whose conventions are not known: its readings ranked by the shot's own tracks, for the artist to take one.
let readingsOfCamera = null;
function foreignCamera() {
  const file = h('input', { type: 'file', accept: '.csv,.json,.usda,.glb,.gltf', 'aria-label': 'Find how it is meant' });
  const r = readingsOfCamera;
  return h(
    'div',
    {},
    h(
      'div',
      { class: 'actions' },
      file,
      button('Find how it is meant', async () => {
        const form = new FormData();
        for (const f of file.files) form.append('files', f, f.name);
        try {
          readingsOfCamera = await inLine(() => upload(api('camera/readings'), form));
          tell('told', null);
          tell('chosen');
        } catch (e) {
          tell('told', e);
        }
      }),
    ),
    r
      ? h(
          'div',
          { id: 'camera-readings' },
          h('p', { class: r.trusted ? '' : 'told', role: 'status' }, `${r.name}: ${r.verdict}`),
          h(
            'ul',
            { class: 'plain' },
            ...r.ranking.slice(0, 4).map((x) =>
              h(
                'li',
                {},
                `${x.errorPx.toFixed(2)} px: ${x.name}${x.same ? ` (and ${x.same} that no track tells apart)` : ''} `,
                button(`Bring it in as ${x.index + 1}`, async () => {
                  try {
                    await changed('camera/reading', { media: r.media, name: r.name, index: x.index });
                    readingsOfCamera = null;
                    tell('told', null);
                    tell('chosen');
                  } catch (e) {
                    tell('told', e);
                  }
                }),
              ),
            ),
          ),
        )
      : null,
  );
}

// What judges a camera: lengths that took no part in it, and figures that must keep their feet on the floor.
function judging(d, pointNames) {
  const lengths = d.knownLengths || [],
    standIns = d.standIns || [],
    s = standIns.find((x) => x.id === state.chosen.standIn);
  const change = (what, act) =>
    save(what, (x) => {
      act(x);
      return x;
    });
  const stand = (box) =>
    setHand(async (p) => {
      try {
        const { point } = await get(api(`frames/${state.frame}/floor?x=${p.x}&y=${p.y}`));
        await change(box ? 'Stood a box' : 'Stood a figure', (x) => {
          x.standIns ||= [];
          const id = newId(x.standIns, box ? 'box' : 'figure');
          x.standIns.push({ id, box, position: point, heightMetres: box ? 0.5 : 1.75 });
          state.chosen.standIn = id;
        });
      } catch (e) {
        tell('told', e);
      }
    });
  return [
    heading('Judge it by'),
    ...lengths.flatMap((k, i) => [
      h('p', { class: 'num' }, `${k.from} to ${k.to}`),
      number(
        `${k.from}–${k.to} is`,
        k.metres,
        'm',
        (v) =>
          change('Known length', (x) => {
            x.knownLengths[i].metres = v;
          }),
        { min: 1e-4 },
      ),
      h(
        'div',
        { class: 'actions' },
        button(`Forget ${k.from}–${k.to}`, () =>
          change('Known length forgotten', (x) => {
            x.knownLengths.splice(i, 1);
          }),
        ),
      ),
    ]),
    pointNames.length > 2
      ? h(
          'div',
          { class: 'actions' },
          button('Add a known length', () =>
            change('Known length', (x) => {
              x.knownLengths ||= [];
              x.knownLengths.push({
                from: state.chosen.point || pointNames[1][0],
                to: pointNames.find(([v]) => v && v !== (state.chosen.point || pointNames[1][0]))[0],
                metres: 1,
              });
            }),
          ),
        )
      : null,
    ...lengths.slice(-1).flatMap((k) => [
      choice('Last one from', k.from, pointNames.slice(1), (v) =>
        change('Known length', (x) => {
          x.knownLengths.at(-1).from = v;
        }),
      ),
      choice('Last one to', k.to, pointNames.slice(1), (v) =>
        change('Known length', (x) => {
          x.knownLengths.at(-1).to = v;
        }),
      ),
    ]),
    standIns.length
      ? rows(
          standIns.map((x) => ({ id: x.id, name: x.id.replace('_', ' '), value: `${x.heightMetres} m` })),
          state.chosen.standIn,
          (id) => {
            state.chosen.standIn = id;
            tell('chosen');
          },
        )
      : null,
    h(
      'div',
      { class: 'actions' },
      button('Stand a figure on the floor', () => stand(false), { disabled: !d.camera }),
      button('Stand a box', () => stand(true), { disabled: !d.camera }),
    ),
    ...(s
      ? [
          number(
            'Height',
            s.heightMetres,
            'm',
            (v) =>
              change('Stand-in sized', (x) => {
                x.standIns.find((q) => q.id === s.id).heightMetres = v;
              }),
            { min: 0.01, max: 1000 },
          ),
          triple('Foot', s.position, 'm', (v) =>
            change('Stand-in moved', (x) => {
              x.standIns.find((q) => q.id === s.id).position = v;
            }),
          ),
          h(
            'div',
            { class: 'actions' },
            button('Take it away', () =>
              change('Stand-in taken away', (x) => {
                x.standIns = x.standIns.filter((q) => q.id !== s.id);
              }),
            ),
          ),
        ]
      : []),
  ].filter(Boolean);
}

// Two points that name a line: kept on the page until both are chosen, as one alone says nothing.
const halves = {};
function ends(label, has, names, name) {
  const half = halves[label] ?? { from: has?.from ?? '', to: has?.to ?? '' };
  const choose = (end) => (v) => {
    const next = { ...half, [end]: v };
    if (!v && has) {
      delete halves[label];
      name(null);
      return;
    }
    if (next.from && next.to && next.from !== next.to) {
      delete halves[label];
      name(next.from, next.to);
      return;
    }
    halves[label] = next;
    tell('chosen');
  };
  const open = halves[label]
    ? quiet(
        half.from && half.from === half.to ? `${label}: choose two different points.` : `${label}: choose the other end; then it counts.`,
      )
    : null;
  return [choice(`${label} from`, half.from, names, choose('from')), choice(`${label} to`, half.to, names, choose('to')), open].filter(
    Boolean,
  );
}

export const steps = {
  1() {
    const p = state.document.plate;
    const fields = [
      text('First frame', p ? state.document.range.first : '1001', null, { name: 'first' }),
      text('Rate', p ? sayRate(p.rate) : '24', null, { name: 'rate', unit: 'fps' }),
      text('Sensor width', p?.sensorWidthMm ?? 36, null, { name: 'sensorWidth', unit: 'mm' }),
      text('Sensor height', p?.sensorHeightMm ?? 20.25, null, { name: 'sensorHeight', unit: 'mm' }),
      text('Focal length', p?.focalMm ?? '', null, { name: 'focal', unit: 'mm', placeholder: 'unknown' }),
      choice('Codes stand for', p?.encoding ?? '', [['', 'as files say'], ...encodings], () => {}, 'encoding'),
      choice(
        'of primaries',
        p && (p.primaries ?? 'bt709') !== usualPrimaries(p.encoding) ? (p.primaries ?? 'bt709') : '',
        [['', 'as is usual'], ...primaries],
        () => {},
        'primaries',
      ),
    ];
    const folder = h('select', { class: 'blank', 'aria-label': 'Folder on the server' });
    get('/api/folders').then((all) => folder.append(...all.map((f) => h('option', { value: f.path }, `${f.name}, ${f.files} files`))));
    return [
      p
        ? h(
            'p',
            {},
            h(
              'span',
              { class: 'num' },
              `${p.name} · ${p.width}×${p.height}, ${p.bits} bit, ${p.frames.length} frames${p.clip ? ` · ${p.clip}` : ''}${p.timecode ? ` · ${p.timecode}` : ''}`,
            ),
          )
        : quiet('Begin here: bring in a folder of numbered frames (PNG, JPEG, TIFF, DPX, EXR), or a video.'),
      p?.faults?.length ? notes(p.faults.map((f) => `${f.message}. ${f.mend}`)) : null,
      heading('Bring a plate in'),
      bringIn('Bring these frames in', 'plate', '.png,.jpg,.jpeg,.tif,.tiff,.dpx,.exr,.mp4,.mov,.mkv,.mxf,.avi,.webm,.m4v', fields, true),
      h(
        'div',
        { class: 'actions' },
        folder,
        button('Bring the folder in', () => {
          const form = new FormData();
          form.append('folder', folder.value);
          for (const i of sheet.querySelectorAll('[name]')) form.append(i.name, i.value);
          bring('plate-from-folder', form);
        }),
      ),
      ...plateSection(bringIn),
    ];
  },
  2() {
    const d = state.document,
      o = d.orientation,
      chosen = d.surveyPoints.find((s) => s.name === state.chosen.point);
    const orient = (what, change) =>
      save(what, (x) => {
        change(x.orientation);
        return x;
      });
    const pointNames = [['', '–'], ...d.surveyPoints.map((s) => [s.name, s.name])];
    const box = h('div');
    get(api('orientation')).then((r) => {
      if (r.problems.length) box.append(...r.problems.map((t) => told({ message: t })));
    });
    return [
      d.camera
        ? h(
            'p',
            { class: 'num' },
            `${d.camera.name} · ${d.camera.samples.length} frames · k1 ${text3(d.camera.lens.k1, 4)} k2 ${text3(d.camera.lens.k2, 4)}`,
          )
        : quiet('Bring a camera in, or track the plate and solve one.'),
      ...(d.range.first === d.range.last ? stillSection() : [...trackSection(), ...stillSection()]),
      heading('Bring in'),
      bringIn('Bring this camera in', 'camera', '.glb,.gltf,.usda,.csv,.json', [
        text('Camera’s first frame', d.range.first, null, { name: 'first' }),
        text('Camera’s rate', sayRate(d.rate), null, { name: 'rate', unit: 'fps' }),
        text('Lens k1', d.camera ? text3(d.camera.lens.k1, 6) : '', null, { name: 'k1' }),
        text('Lens k2', d.camera ? text3(d.camera.lens.k2, 6) : '', null, { name: 'k2' }),
      ]),
      ...(d.tracks ? [foreignCamera()] : []),
      d.camera ? bringIn('Bring a lens map in', 'lens-map', '.exr') : null,
      bringIn('Bring survey points in', 'survey', '.csv'),
      heading('Survey points'),
      d.surveyPoints.length
        ? rows(
            d.surveyPoints.map((s) => ({
              id: s.name,
              name: s.name,
              value: `${s.position ? '' : 'no place, '}${s.clicks.length} click${s.clicks.length === 1 ? '' : 's'}`,
            })),
            state.chosen.point,
            (id) => {
              state.chosen.point = id;
              tell('chosen');
            },
            { long: true },
          )
        : quiet('None yet.'),
      h(
        'div',
        { class: 'actions' },
        button(
          'New point by clicking',
          () =>
            setHand((p) => {
              const name = nextPoint(state.document);
              state.chosen.point = name;
              return clickPoint(name, p);
            }),
          { disabled: !d.plate },
        ),
      ),
      chosen && !chosen.position
        ? quiet(
            chosen.clicks.length < 2
              ? `${chosen.name} has no place yet: go to a frame seen from elsewhere and click it there too.`
              : `${chosen.name} has no place: its clicks look along nearly the same line. Click it in a frame seen from further away.`,
          )
        : null,
      chosen
        ? h(
            'div',
            { class: 'actions' },
            button(`Click ${chosen.name} at ${state.frame}`, () => setHand((p) => clickPoint(chosen.name, p))),
            chosen.clicks.some((c) => c.frame === state.frame)
              ? button('Take this click away', () =>
                  save(`${chosen.name}: click at ${state.frame} taken away`, (x) => {
                    const s = x.surveyPoints.find((q) => q.name === chosen.name);
                    s.clicks = s.clicks.filter((c) => c.frame !== state.frame);
                    return placed(x, s);
                  }),
                )
              : null,
            button('Delete point', () => {
              state.chosen.point = null;
              return save(`Deleted point ${chosen.name}`, (x) => {
                x.surveyPoints = x.surveyPoints.filter((q) => q.name !== chosen.name);
                return x;
              });
            }),
            button(o.floor.includes(chosen.name) ? 'Not on the floor' : 'It lies on the floor', () =>
              orient(`Floor: ${chosen.name}`, (x) => {
                x.floor = x.floor.includes(chosen.name) ? x.floor.filter((n) => n !== chosen.name) : [...x.floor, chosen.name];
              }),
            ),
          )
        : null,
      heading('Floor, origin, axis, scale'),
      h('p', {}, `Floor: ${o.floor.join(' ') || 'not named'}`),
      box,
      ...levelSection(),
      choice('Origin', o.origin ?? '', pointNames, (v) =>
        orient('Origin named', (x) => {
          x.origin = v || null;
        }),
      ),
      ...ends('Axis', o.axis, pointNames, (from, to) =>
        orient('Axis named', (x) => {
          x.axis = from ? { from, to, direction: x.axis?.direction ?? '+X' } : null;
        }),
      ),
      choice(
        'It runs along',
        o.axis?.direction ?? '+X',
        ['+X', '-X', '+Z', '-Z'].map((v) => [v, v]),
        (v) =>
          orient('Axis named', (x) => {
            if (x.axis) x.axis.direction = v;
          }),
      ),
      ...ends('Length', o.scale, pointNames, (from, to) =>
        orient('Scale named', (x) => {
          x.scale = from ? { from, to, metres: x.scale?.metres ?? 1 } : null;
        }),
      ),
      number(
        'It measures',
        o.scale?.metres ?? NaN,
        'm',
        (v) =>
          orient('Scale named', (x) => {
            if (x.scale) x.scale.metres = v;
          }),
        { min: 1e-4 },
      ),
      ...judging(d, pointNames),
      ...movingSection(bringIn),
    ];
  },
  3: () => setSection(bringIn),
  4: () => projectionSection(),
  5: () => lightSection(),
  6: () => contactSection(),
  8: () => handOverSection(),
};

function goWorst(r) {
  if (r.perFrame) state.railReading = r.id;
  if (!r.worst) return;
  state.worst = r.worst;
  if (r.worst.frame) setFrame(r.worst.frame);
  tell('chosen');
}

const verdictWord = (v) => (v === 'Nothing' ? 'nothing yet' : v.toLowerCase());

function readings() {
  const box = h('section', { id: 'readings', 'aria-label': 'Readings' });
  box.append(...readingRows());
  return box;
}

// Of a camera that was not solved here a solve's readings have nothing to say.
const idle = (id) =>
  (id === 'contact.level' && !state.document.realShadow) ||
  (id === 'set.cloud' && !state.document.clouds?.length) ||
  (id === 'projection.stitch' && !state.document.otherCameras?.length) ||
  (id === 'projection.colour' && !state.document.projections.some((p) => p.ownColour)) ||
  (id === 'light.sun' && !['fromShadow', 'fromDate', 'fromFit'].some((k) => state.document.sun?.[k])) ||
  (id === 'camera.live' && !state.document.tracks) ||
  (['camera.solve', 'camera.heldout', 'camera.slide'].includes(id) && !state.document.solve);

// How far measuring is, or why it goes no further.
function measuring(m) {
  if (m?.failed)
    return [
      told({ message: `Not measured: ${m.failed}` }),
      h(
        'div',
        { class: 'actions' },
        button('Measure again', () => tell('measure-again')),
      ),
    ];
  if (m?.before) return [quiet(`Measuring waits: ${m.before === 1 ? 'another shot is' : `${m.before} shots are`} measured first.`)];
  return [quiet(m?.now ? `Measuring “${m.now}”, ${m.done} of ${m.of} are there.` : 'Measuring.')];
}

function readingRows() {
  const mine = (state.readings || []).filter((r) => r.step === state.step && !idle(r.id));
  if (!state.readings) return [heading('Readings'), ...measuring(state.measuring)];
  if (!mine.length) return [];
  return [
    heading('Readings'),
    ...mine.map((r) => {
      const b = h('button', {
        class: `reading ${r.verdict.toLowerCase()}`,
        type: 'button',
        title: r.how,
        onclick: () => goWorst(r),
        'data-reading': r.id,
      });
      b.append(vial(r.verdict.toLowerCase()), ...['name', 'value num', 'verdict', 'note'].map((c) => h('span', { class: c })));
      b.querySelector('.name').textContent = r.name;
      b.querySelector('.value').textContent = r.value === null || r.value === undefined ? '–' : `${text3(r.value, 3)} ${r.unit}`;
      b.querySelector('.verdict').textContent = verdictWord(r.verdict);
      b.querySelector('.note').textContent = `${r.note}${r.worst ? ' · press for the worst place' : ''}`;
      return h(
        'div',
        {},
        b,
        number(
          r.over ? 'must be over' : 'must be within',
          r.tolerance,
          r.unit.length < 4 ? r.unit : '',
          (v) =>
            save(`Tolerance of ${r.name}`, (d) => {
              d.tolerances[r.id] = v;
              return d;
            }),
          { min: 0, digits: 4 },
        ),
      );
    }),
  ];
}

let drawnStep = 0;
export function oldSheet(body) {
  const scroll = body.parentElement.scrollTop,
    typed = drawnStep === state.step ? begun(body) : [];
  drawnStep = state.step;
  body.replaceChildren(...steps[state.step]().filter(Boolean), readings());
  goOn(body, typed);
  body.parentElement.scrollTop = scroll;
}

on('readings', () => steps[state.step] && document.getElementById('readings')?.replaceChildren(...readingRows()));
