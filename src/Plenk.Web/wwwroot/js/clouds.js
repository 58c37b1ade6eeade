// Points and depth that were found or brought: a scanner's cloud, aligned by its targets; depth of frames from the footage.
import { get, post, upload } from './api.js';
import { button, choice, fold, h, notes, number, quiet, tick } from './build.js';
import { inLine, save, state, tell } from './state.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
let places = [],
  placesOf = -1;

export function cloudSection(bringIn) {
  const d = state.document,
    clouds = d.clouds || [];
  if (clouds.length && placesOf !== state.revision) {
    placesOf = state.revision;
    get(`${api('clouds')}?revision=${state.revision}`)
      .then((p) => {
        places = p;
        tell('chosen');
      })
      .catch(() => {});
  }
  const edit = (c, what, change) =>
    save(`${c.name}: ${what}`, (x) => {
      change(x.clouds.find((q) => q.id === c.id));
      return x;
    });
  return fold(
    'Point clouds',
    'clouds',
    clouds.length ? null : quiet('None. A cloud from a scanner lies where its targets say: survey points of the same names.'),
    ...clouds.flatMap((c) => {
      const p = places.find((q) => q.id === c.id),
        file = h('input', { type: 'file', accept: '.csv', 'aria-label': `Targets of ${c.name}` });
      return [
        h('p', {}, `${c.name}, `, h('span', { class: 'num' }, `${c.count.toLocaleString('en-GB')} points`)),
        p
          ? quiet(
              p.reason
                ? `${p.reason}.`
                : `Aligned by ${p.targets} targets, ${(1000 * p.rmsMetres).toFixed(1)} mm RMS${c.holdScale ? '' : `, scale ${p.scale.toFixed(5)}`}.`,
            )
          : null,
        h(
          'div',
          { class: 'actions' },
          file,
          button('Take these targets', async () => {
            const form = new FormData();
            for (const f of file.files) form.append('files', f, f.name);
            try {
              const r = await inLine(() => upload(api(`clouds/${encodeURIComponent(c.id)}/targets`), form));
              tell('told', r.notes.length ? notes(r.notes) : null);
            } catch (e) {
              tell('told', e);
            }
          }),
        ),
        tick('it is in metres', c.holdScale, (v) =>
          edit(c, 'scale', (x) => {
            x.holdScale = v;
          }),
        ),
        h(
          'div',
          { class: 'actions' },
          button(c.off ? 'Switch on' : 'Switch off', () =>
            edit(c, c.off ? 'on' : 'off', (x) => {
              x.off = !x.off;
            }),
          ),
          button('Take it away', () =>
            save(`${c.name} taken away`, (x) => {
              x.clouds = x.clouds.filter((q) => q.id !== c.id);
              return x;
            }),
          ),
        ),
      ];
    }),
    bringIn('Bring a point cloud in', 'cloud', '.ply'),
  );
}

const asked = { every: 1, kind: 'Axis', near: 0.1, far: 1000 };
export const depthKinds = [
  ['Axis', 'metres along the axis'],
  ['Ray', 'metres along the ray'],
  ['Buffer', 'buffer, 0 near to 1 far'],
  ['BufferSigned', 'buffer, −1 to 1'],
  ['BufferReversed', 'buffer, 1 near to 0'],
  ['BufferInfinite', 'near ÷ z'],
  ['Straight', 'straight, 0 near to 1'],
  ['StraightInverted', 'straight, 1 near to 0'],
  ['Inverse', '1 ÷ z'],
  ['InverseNormalised', '1 ÷ z, 1 near to 0'],
];

// Needs no near and far plane.
export const plainDepth = (kind) => ['Axis', 'Ray', 'Inverse'].includes(kind);

// A depth picture of another program, read by the convention that it was rendered with.
function depthIn() {
  const file = h('input', { type: 'file', accept: '.exr', 'aria-label': 'Depth picture' });
  return [
    choice('Its values are', asked.kind, depthKinds, (v) => {
      asked.kind = v;
      tell('chosen');
    }),
    ...(plainDepth(asked.kind)
      ? []
      : [
          number(
            'Near',
            asked.near,
            'm',
            (v) => {
              asked.near = v;
            },
            { min: 1e-6 },
          ),
          number(
            'Far',
            asked.far,
            'm',
            (v) => {
              asked.far = v;
            },
            { min: 1e-6 },
          ),
        ]),
    h(
      'div',
      { class: 'actions' },
      file,
      button(`Bring it in for ${state.frame}`, async () => {
        const form = new FormData();
        for (const f of file.files) form.append('files', f, f.name);
        for (const k of ['kind', 'near', 'far']) form.append(k, asked[k]);
        try {
          const r = await inLine(() => upload(api(`frames/${state.frame}/depth`), form));
          tell('told', notes(r.notes));
        } catch (e) {
          tell('told', e);
        }
      }),
    ),
  ];
}

export function depthSection() {
  const d = state.document,
    own = d.depth?.frames || [],
    here = own.some((f) => f.frame === state.frame);
  if (!d.camera || d.range.first === d.range.last) return null;
  const make = async (first, last, every) => {
    try {
      await post(api('depth'), { first, last, every });
      tell('told', null);
      tell('jobs-now');
    } catch (e) {
      tell('told', e);
    }
  };
  return fold(
    'Depth from the footage',
    'depth',
    quiet(
      own.length
        ? `${own.length} frame${own.length > 1 ? 's have' : ' has'} a depth${here ? ', this one too' : ''}. Where nothing is built it answers clicks.`
        : 'Finds how far away everything is from neighbouring frames, for places where nothing is built.',
    ),
    h(
      'div',
      { class: 'actions' },
      button(`Depth of ${state.frame}`, () => make(state.frame, state.frame, 1)),
      button('Of all frames', () => make(d.range.first, d.range.last, asked.every)),
    ),
    number(
      'Of every',
      asked.every,
      'th',
      (v) => {
        asked.every = Math.round(v);
      },
      { min: 1, max: 1000 },
    ),
    ...depthIn(),
    ...(own.length
      ? [
          number(
            'Spots at least',
            d.depth.leastConfidence,
            'sure',
            (v) =>
              save('Depth: confidence', (x) => {
                x.depth.leastConfidence = v;
                return x;
              }),
            { min: 0, max: 1 },
          ),
          tick('what it shows hides elements', !!d.depth.hides, (v) =>
            save(v ? 'Depth hides elements' : 'Depth hides nothing', (x) => {
              x.depth.hides = v;
              return x;
            }),
          ),
          d.depth.hides && own.length < d.range.last - d.range.first + 1
            ? quiet('Only frames that have a depth hide by it: make it for all frames before rendering.')
            : null,
          choice(
            'Look at',
            ['depth', 'depth-difference'].includes(state.compare) ? state.compare : 'before',
            [
              ['before', 'the plate'],
              ['depth', 'the depth'],
              ['depth-difference', 'it against the set'],
            ],
            (v) => {
              state.compare = v;
              tell('compare');
            },
          ),
          h(
            'div',
            { class: 'actions' },
            button('Forget all depth', () =>
              save('Depth forgotten', (x) => {
                x.depth = null;
                return x;
              }),
            ),
          ),
        ]
      : []),
  );
}
