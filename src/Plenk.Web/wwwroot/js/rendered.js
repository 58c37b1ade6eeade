// Light again from data: rendered pictures with their passes, shaded anew by the shot's lamps.
import { get, upload } from './api.js';
import { button, choice, fold, h, notes, number, quiet, rows, tick } from './build.js';
import { depthKinds, plainDepth } from './clouds.js';
import { inLine, save, setFrame, state, tell } from './state.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
const reports = new Map();

export const renderedKind = (way) => (state.chosen.rendered ? `${way}:${state.chosen.rendered}` : null);

// What was found of how its passes are meant: the ranking with its margin.
function report(r) {
  const key = `${r.id}/${r.media.join()}/${JSON.stringify(r.depth)}`;
  if (!reports.has(key)) {
    reports.set(key, null);
    inLine(() => get(api(`rendered/${encodeURIComponent(r.id)}/report`)))
      .then((v) => {
        reports.set(key, v);
        tell('chosen');
      })
      .catch((e) => tell('told', e));
  }
  const v = reports.get(key);
  if (!v) return quiet('Reading its passes.');
  const list = (l, unit) => l.map((p) => `${p.name} (${p.error.toFixed(unit === 'px' ? 2 : 1)} ${unit})`).join('; ');
  return h(
    'ul',
    { class: 'plain', id: 'pass-report' },
    h(
      'li',
      {},
      v.known ? `Positions are meant as ${list(v.positions, 'px')}` : 'How positions are meant is unknown; they are taken as ours',
    ),
    h(
      'li',
      {},
      v.normals.length
        ? `Normals as ${list(v.normals, '°')}: the next reading is ${v.margin.toFixed(1)} times worse`
        : 'Normals are taken as ours',
    ),
    ...v.told.map((t) => h('li', {}, t)),
    v.albedo ? null : h('li', {}, 'It brings no surface colour: a grey stands for it.'),
  );
}

export function renderedSection() {
  const d = state.document,
    list = d.rendered || [],
    r = list.find((x) => x.id === state.chosen.rendered) || list[0];
  if (!d.camera) return null;
  if (r && state.chosen.rendered !== r.id) state.chosen.rendered = r.id;
  const file = h('input', { type: 'file', accept: '.exr', multiple: true, 'aria-label': 'Rendered picture with its passes' });
  const e = (what, change) =>
      save(`${r.name}: ${what}`, (x) => {
        change(x.rendered.find((q) => q.id === r.id));
        return x;
      }),
    look = (k) => (v) =>
      e(k, (x) => {
        x.look[k] = v;
      });
  const look2 = (way) => {
    if (state.frame !== r.frame) setFrame(r.frame);
    state.compare = way;
    tell('compare');
  };
  return fold(
    'Light again from data',
    'rendered',
    list.length
      ? rows(
          list.map((x) => ({ id: x.id, name: x.name, value: `at ${x.frame}` })),
          r?.id,
          (id) => {
            state.chosen.rendered = id ?? r.id;
            tell('chosen');
          },
        )
      : quiet(
          'A rendered picture that brings positions and normals (EXR layers, or files of their own) takes new lamps without being rendered again.',
        ),
    h(
      'div',
      { class: 'actions' },
      file,
      button(`Bring it in for ${state.frame}`, async () => {
        const form = new FormData();
        for (const f of file.files) form.append('files', f, f.name);
        form.append('frame', state.frame);
        try {
          const a = await inLine(() => upload(api('rendered'), form));
          tell('told', a.notes.length ? notes(a.notes) : null);
        } catch (err) {
          tell('told', err);
        }
      }),
    ),
    ...(r
      ? [
          report(r),
          h(
            'div',
            { class: 'actions' },
            ...[
              ['rendered', 'As it came'],
              ['relit', 'Lit again'],
              ['after', 'The comp'],
            ].map(([way, t]) =>
              h('button', { type: 'button', 'aria-pressed': state.compare === way ? 'true' : 'false', onclick: () => look2(way) }, t),
            ),
          ),
          quiet('Lamps that shade it:'),
          rows(
            d.lights
              .filter((l) => l.kind !== 'Fill' && !l.showsPlace)
              .map((l) => ({ id: l.id, name: l.name, value: l.kind.toLowerCase() })),
            r.lamps,
            (id) =>
              e('lamps', (x) => {
                x.lamps = x.lamps.includes(id) ? x.lamps.filter((q) => q !== id) : [...x.lamps, id];
              }),
          ),
          number('Diffuse', r.look.diffuse, '', look('diffuse'), { min: 0, max: 100 }),
          number('Highlight', r.look.specular, '', look('specular'), { min: 0, max: 100 }),
          number('Its exponent', r.look.width, '', look('width'), { min: 1, max: 5000 }),
          number('Even light', r.look.ambient, '', look('ambient'), { min: 0, max: 1000 }),
          number('Grey for its colour', r.look.albedo, '', look('albedo'), { min: 0.001, max: 1 }),
          choice(
            'Shadows',
            !r.look.shadows ? 'none' : r.shadowsBySet ? 'set' : 'own',
            [
              ['own', 'by its own surface'],
              ['set', 'by the set'],
              ['none', 'none'],
            ],
            (v) =>
              e('shadows', (x) => {
                x.look.shadows = v !== 'none';
                x.shadowsBySet = v === 'set';
              }),
          ),
          tick('only the new light', !!r.alone, (v) =>
            e('alone', (x) => {
              x.alone = v;
            }),
          ),
          choice('Its depth is', r.depth.kind, depthKinds, (v) =>
            e('depth', (x) => {
              x.depth.kind = v;
            }),
          ),
          ...(plainDepth(r.depth.kind)
            ? []
            : [
                number(
                  'Near',
                  r.depth.near,
                  'm',
                  (v) =>
                    e('depth', (x) => {
                      x.depth.near = v;
                    }),
                  { min: 1e-6 },
                ),
                number(
                  'Far',
                  r.depth.far,
                  'm',
                  (v) =>
                    e('depth', (x) => {
                      x.depth.far = v;
                    }),
                  { min: 1e-6 },
                ),
              ]),
          h(
            'div',
            { class: 'actions' },
            h(
              'a',
              {
                class: 'take',
                href: `${api(`rendered/${encodeURIComponent(r.id)}/depth`)}?kind=${r.depth.kind}&near=${r.depth.near}&far=${r.depth.far}`,
                download: '',
              },
              'Its depth, EXR',
            ),
            button('Take it away', () =>
              save(`${r.name} taken away`, (x) => {
                x.rendered = x.rendered.filter((q) => q.id !== r.id);
                state.chosen.rendered = null;
                return x;
              }),
            ),
          ),
        ]
      : []),
  );
}
