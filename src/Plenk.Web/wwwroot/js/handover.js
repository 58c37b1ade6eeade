// Handing over: what leaves the shot, the tray of hand-overs frame by frame, and notes pinned to the picture.
import { get, post } from './api.js';
import { button, choice, fold, h, heading, number, quiet, rows, text, tick } from './build.js';
import { save, setFrame, setHand, state, tell } from './state.js';
import { newId } from './pieces.js';

const api = (path) => `/api/shots/${state.id}/${path}`;

// What was typed on the sheet stays while it is drawn anew.
const wanted = {
  exr: true,
  png16: true,
  dpx: false,
  mp4: false,
  stills: false,
  contact: false,
  burnIn: true,
  throughLook: true,
  overscan: 0,
  primaries: 'bt709',
  layers: '',
  names: '',
  compression: 'zip',
  parts: false,
};
const frames = new Map(); // by job: who has which frame

async function ask(first, last) {
  const formats = ['exr', 'png16', 'dpx', 'mp4', 'stills', 'contact'].filter((f) => wanted[f]);
  try {
    await post(api('render'), {
      first,
      last,
      formats,
      layers: wanted.layers
        ? wanted.layers
            .split(',')
            .map((l) => l.trim())
            .filter(Boolean)
        : null,
      names: wanted.names || null,
      compression: wanted.compression,
      partPerLayer: wanted.parts,
      burnIn: wanted.burnIn,
      throughLook: wanted.throughLook,
      overscan: wanted.overscan / 100,
      primaries: wanted.primaries,
    });
    tell('told', null);
    tell('jobs-now');
  } catch (e) {
    tell('told', e);
  }
}

function jobBox(j) {
  const files = j.output ? JSON.parse(j.output) : [],
    sheet = files.find((f) => f.endsWith('.sheet.html')),
    failed = (frames.get(j.id) || []).filter((f) => f.state === 'failed');
  const again = (frame) =>
    post(`/api/jobs/${j.id}/again${frame ? `?frame=${frame}` : ''}`, {})
      .then(() => {
        frames.delete(j.id);
        tell('jobs-now');
      })
      .catch((e) => tell('told', e));
  return h(
    'div',
    { class: 'render' },
    h(
      'p',
      {},
      `${j.title}: ${j.waits || j.state}${['waiting', 'running'].includes(j.state) && j.total ? `, ${j.done} of ${j.total}` : ''}${j.message ? `. ${j.message}` : ''}`,
    ),
    sheet ? h('p', {}, h('a', { class: 'take', href: `/renders/${j.id}/${sheet}`, target: '_blank' }, 'Shot sheet')) : null,
    j.kind === 'handover' && ['failed', 'stopped'].includes(j.state)
      ? h(
          'div',
          { class: 'actions' },
          button(j.state === 'stopped' ? 'Go on' : 'Try what failed again', () => again()),
          button('Which frames', () =>
            get(`/api/jobs/${j.id}/frames`).then((all) => {
              frames.set(j.id, all);
              tell('chosen');
            }),
          ),
        )
      : null,
    ...failed.map((f) =>
      h(
        'p',
        {},
        `${f.frame > 1e9 ? 'Closing' : `Frame ${f.frame}`}: ${f.message} `,
        button(`Try ${f.frame > 1e9 ? 'closing' : f.frame} again`, () => again(f.frame)),
      ),
    ),
    files.length
      ? fold(
          `${files.length} files`,
          `files-${j.id}`,
          h('ul', {}, ...files.map((f) => h('li', { class: 'num' }, h('a', { href: `/renders/${j.id}/${f}` }, f)))),
        )
      : null,
  );
}

function noteSection() {
  const d = state.document,
    all = d.notes || [],
    n = all.find((x) => x.id === state.chosen.note);
  const edit = (what, act) =>
    save(what, (x) => {
      act(
        x.notes.find((q) => q.id === n.id),
        x,
      );
      return x;
    });
  const who = () => document.body.dataset.who || 'somebody';
  return [
    heading('Notes on the picture'),
    all.length
      ? rows(
          all.map((x, i) => ({ id: x.id, name: `${i + 1} ${x.text || 'no text yet'}`, value: x.resolved ? 'resolved' : `${x.frame}` })),
          state.chosen.note,
          (id) => {
            state.chosen.note = id;
            const x = all.find((q) => q.id === id);
            if (x) setFrame(x.frame);
            tell('chosen');
          },
          { long: true },
        )
      : quiet('None. A note stands at a place of a frame; others answer it.'),
    h(
      'div',
      { class: 'actions' },
      button(`Pin a note at ${state.frame}`, () =>
        setHand((p) =>
          save('Note pinned', (x) => {
            x.notes ||= [];
            const id = newId(x.notes, 'note');
            x.notes.push({
              id,
              frame: state.frame,
              x: p.x,
              y: p.y,
              by: who(),
              text: '',
              when: new Date().toISOString(),
              answers: [],
              resolved: false,
            });
            state.chosen.note = id;
            return x;
          }),
        ),
      ),
    ),
    ...(n
      ? [
          text('Note', n.text, (v) =>
            edit('Note written', (x) => {
              x.text = v;
            }),
          ),
          ...n.answers.map((a) => h('p', {}, `${a.by}: ${a.text}`)),
          text(
            'Answer',
            '',
            (v) =>
              v &&
              edit('Note answered', (x) => {
                x.answers.push({ by: who(), text: v, when: new Date().toISOString() });
              }),
          ),
          h(
            'div',
            { class: 'actions' },
            button(n.resolved ? 'It is open again' : 'It is resolved', () =>
              edit(n.resolved ? 'Note opened' : 'Note resolved', (x) => {
                x.resolved = !x.resolved;
              }),
            ),
            button('Take the note away', () => {
              state.chosen.note = null;
              return save('Note taken away', (x) => {
                x.notes = x.notes.filter((q) => q.id !== n.id);
                return x;
              });
            }),
          ),
        ]
      : []),
  ];
}

// Another revision of the shot beside this one; the ledger brings it back.
function versionSection() {
  const last = state.revision;
  return [
    fold(
      'Another version beside it',
      'versions',
      number(
        'Revision',
        state.other ?? Math.max(1, last - 1),
        '',
        (v) => {
          state.other = Math.round(v);
          if (state.compare.startsWith('version')) tell('compare');
        },
        { min: 1, max: last, digits: 0 },
      ),
      h(
        'div',
        { class: 'actions' },
        ...[
          ['version', 'Show that one'],
          ['after', 'Show this one'],
          ['version-wipe', 'Side by side'],
        ].map(([way, t]) =>
          h(
            'button',
            {
              type: 'button',
              'aria-pressed': state.compare === way ? 'true' : 'false',
              onclick: () => {
                state.other ??= Math.max(1, last - 1);
                state.compare = way;
                tell('compare');
              },
            },
            t,
          ),
        ),
      ),
      quiet('The ledger, above, brings a revision back.'),
    ),
  ];
}

export function handOverSection() {
  const d = state.document,
    { first, last } = d.cut || d.range;
  const from = h('input', { type: 'text', class: 'blank', defaultValue: first, 'aria-label': 'First frame' }),
    to = h('input', { type: 'text', class: 'blank', defaultValue: last, 'aria-label': 'Last frame' });
  for (const i of [from, to])
    i.addEventListener('change', () => {
      const whole = Number.isInteger(Number(i.value)) && i.value.trim() !== '';
      i.setAttribute('aria-invalid', whole ? 'false' : 'true');
      i.title = whole ? '' : 'The number of a frame';
    });
  // Frames of a reduced width tell nothing of whole ones.
  const whole = (j) => (JSON.parse(j.parameters || '{}').choice?.width ?? d.plate?.width) >= d.plate?.width;
  const job = state.jobs.find((j) => j.secondsPerItem && ['handover', 'render'].includes(j.kind) && whole(j)),
    count = last - first + 1,
    cost = job
      ? `about ${Math.max(1, Math.ceil((job.secondsPerItem * count) / 60))} min for all (${job.secondsPerItem.toFixed(1)} s a frame)`
      : 'the first frame tells the cost';
  const flag = (key, label) =>
    tick(label, wanted[key], (v) => {
      wanted[key] = v;
    });
  return [
    quiet('Every file is read back before it counts. Versions are counted; nothing is overwritten.'),
    flag('exr', 'EXR with all layers and ID mattes'),
    flag('png16', 'Comp as 16-bit PNG'),
    flag('dpx', 'Comp as DPX'),
    heading('For review'),
    flag('mp4', 'Movie (H.264)'),
    flag('stills', 'Stills (8-bit PNG)'),
    flag('contact', 'Contact sheet'),
    flag('burnIn', 'Shot, version and frame burned in'),
    d.look?.lutMedia ? flag('throughLook', `Seen through ${d.look.lutName}`) : null,
    fold(
      'Names, layers, packing',
      'handover',
      text('Names', wanted.names || '{shot}_{layer}_v{version}.{frame}', (v) => {
        wanted.names = v;
      }),
      text(
        'Layers',
        wanted.layers,
        (v) => {
          wanted.layers = v;
        },
        { placeholder: 'all' },
      ),
      choice(
        'Compression',
        wanted.compression,
        [
          ['zip', 'ZIP'],
          ['piz', 'PIZ'],
          ['zips', 'ZIP by line'],
          ['none', 'none'],
        ],
        (v) => {
          wanted.compression = v;
        },
      ),
      choice(
        'Primaries of the EXR',
        wanted.primaries,
        [
          ['bt709', 'BT.709'],
          ['bt2020', 'BT.2020'],
          ['acescg', 'ACEScg (AP1)'],
          ['aces2065-1', 'ACES2065-1 (AP0)'],
        ],
        (v) => {
          wanted.primaries = v;
        },
      ),
      flag('parts', 'A part for every layer'),
      number(
        'Overscan, each side',
        wanted.overscan,
        '%',
        (v) => {
          wanted.overscan = v;
        },
        { min: 0, max: 50 },
      ),
      quiet('By so much of the plate’s width the EXR’s layers go on beyond it; the comp does not.'),
    ),
    h(
      'div',
      { class: 'actions' },
      from,
      '–',
      to,
      button('Render frames', () => ask(Number(from.value), Number(to.value)), { next: true }),
      h('span', { class: 'quiet' }, cost),
    ),
    d.camera
      ? h(
          'p',
          {},
          h('a', { class: 'take', href: `/api/shots/${state.id}/camera/handover.zip`, download: '' }, 'Take the camera along'),
          ' for other programs: glTF, USD, CSV, points, lens maps.',
        )
      : null,
    ...noteSection(),
    ...versionSection(),
    heading('Renders'),
    state.jobs.length ? null : quiet('None yet.'),
    ...state.jobs.map(jobBox),
  ].filter(Boolean);
}

// On the picture: notes at their places.
export function drawNotes({ at, both, label }) {
  return (state.document.notes || []).flatMap((n, i) => {
    if (n.frame !== state.frame || (n.resolved && n.id !== state.chosen.note)) return [];
    const [x, y] = at(n.x, n.y).split(' ').map(Number);
    return [
      both(`M${x} ${y}l14 -14h${10 + 6.6 * Math.min(40, n.text.length)}`, n.id === state.chosen.note ? 2 : 1.2, ''),
      label(x + 16, y - 18, `${i + 1} ${n.text.slice(0, 40).replace(/[<&]/g, ' ')}`),
    ];
  });
}
