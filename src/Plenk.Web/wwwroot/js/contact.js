// The contact's sheet: elements of every kind, what they are made of, how they stand and move; filmed people; mattes.
import { get, post, upload } from './api.js';
import {
  button,
  choice,
  encodings,
  fold,
  frameTiming,
  h,
  heading,
  notes,
  number,
  primaries,
  quiet,
  rows,
  text,
  tick,
  told,
  triple,
  usualPrimaries,
} from './build.js';
import { byFrame, has, keyHere, setKeyed, straightAt, straightCurve } from './keys.js';
import { shadowSection } from './lights.js';
import { matteChoices, matteSection } from './mattes.js';
import { hangsOn } from './moving.js';
import { kept, pick } from './picture.js';
import { newId } from './pieces.js';
import { inLine, on, save, setHand, state, tell } from './state.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
const kindOf = (x) => x.kind ?? 'Mesh';
const kinds = { Mesh: 'mesh', Card: 'card', Lettering: 'lettering', Rendered: 'rendered frames' };

// Where a keyed element is, frame by frame: asked of the server, which knows how keys go on.
let path = null,
  pathOf = '',
  pathOn = 'position0';
function refreshPath() {
  const m = chosen(),
    key = m ? `${m.id}/${state.revision}` : '';
  if (key === pathOf) return;
  [path, pathOf] = [null, key];
  if (!m?.keys?.length) return;
  inLine(() => get(`${api(`elements/${encodeURIComponent(m.id)}/path`)}?revision=${state.revision}`))
    .then((p) => {
      if (pathOf === key) {
        path = p;
        tell('chosen');
      }
    })
    .catch(() => {});
}
// An element as it is at this frame, as far as is known here.
export const elementAt = (m) => (m.keys?.length && pathOf.startsWith(`${m.id}/`) && path?.find((f) => f.frame === state.frame)) || m;
const chosen = () => {
  const d = state.document;
  return d?.elements.find((x) => x.id === state.chosen.element) || (d?.elements.length === 1 ? d.elements[0] : null);
};

// For the rail: one value of the chosen element over the range, its keys as points that can be pulled.
const curves = {
  position0: ['x', 'm'],
  position1: ['height', 'm'],
  position2: ['z', 'm'],
  turnDegrees: ['turned', '°'],
  scale: ['scale', ''],
};
export function elementCurve() {
  const m = chosen();
  if (state.step !== 6 || !m?.keys?.length || !path) return null;
  const part = pathOn.startsWith('position') ? Number(pathOn[8]) : null,
    key = part === null ? pathOn : 'position',
    of = (v) => (part === null ? v[key] : v[key][part]);
  const keys = m.keys.filter((k) => has(k[key])).map((k) => ({ frame: k.frame, value: of(k) }));
  return {
    name: `${m.name}, ${curves[pathOn][0]}${curves[pathOn][1] ? `, ${curves[pathOn][1]}` : ''}`,
    curves: [{ axis: '', points: path.map((f) => ({ frame: f.frame, value: of(f) })) }],
    keys,
    change: (frame, value) =>
      save(`${m.name}: key at ${frame}`, (d) => {
        const k = d.elements.find((x) => x.id === m.id).keys.find((q) => q.frame === frame);
        if (part === null) k[key] = value;
        else k[key][part] = value;
        return d;
      }),
  };
}

function files(label, path_, accept, multiple = true) {
  const file = h('input', { type: 'file', accept, multiple, 'aria-label': label });
  return h(
    'div',
    { class: 'actions' },
    file,
    button(label, async () => {
      const form = new FormData();
      for (const f of file.files) form.append('files', f, f.name);
      tell('told', h('p', { class: 'quiet', role: 'status' }, 'Bringing it in and reading every file.'));
      try {
        const r = await inLine(() => upload(api(path_), form));
        state.chosen.element = r.element ?? state.chosen.element;
        tell('chosen');
        tell('told', r.notes.length ? notes(r.notes) : null);
      } catch (e) {
        tell('told', e);
      }
    }),
  );
}

function bringing(d) {
  // With nothing here yet this is what comes first.
  const box = d.elements.length ? (...c) => fold('Bring in, set up', 'bring-element', ...c) : (...c) => h('div', {}, ...c);
  return box(
    quiet(
      'A mesh with its material file and pictures; a picture or a numbered sequence with alpha as a card; frames rendered through the shot’s camera.',
    ),
    files('Bring an element in', 'element', '.glb,.gltf,.obj,.mtl,.png,.jpg,.tif'),
    files('Bring a card in', 'card', '.png,.tif,.tiff,.jpg'),
    files('Bring rendered frames in', 'rendered-element', '.exr,.png,.tif'),
    h(
      'div',
      { class: 'actions' },
      button(
        'Set lettering',
        () =>
          save('New lettering', (x) => {
            const id = newId(x.elements, 'lettering');
            x.elements.push({
              id,
              name: 'lettering',
              kind: 'Lettering',
              text: { text: 'LOW WATER', heightMetres: 0.3, depthMetres: 0.05, bevelMetres: 0.008, color: [0.5, 0.5, 0.5] },
              position: [0, 0, 0],
              keys: [],
              materials: [],
            });
            state.chosen.element = id;
            return x;
          }),
        { disabled: !d.plate },
      ),
    ),
  );
}

// Frames of a card or of rendered frames, and what their codes stand for.
function filmed(m, e) {
  const f = m.frames;
  return [
    ...frameTiming(f, e, (x) => x.frames),
    f.frames.length > 1
      ? tick('it begins anew after its last', !!f.repeats, (v) =>
          e('repeats', (x) => {
            x.frames.repeats = v;
          }),
        )
      : null,
    choice('Codes stand for', f.encoding, encodings, (v) =>
      e('encoding', (x) => {
        x.frames.encoding = v;
        x.frames.primaries = usualPrimaries(v);
      }),
    ),
    choice('of primaries', f.primaries ?? 'bt709', primaries, (v) =>
      e('primaries', (x) => {
        x.frames.primaries = v;
      }),
    ),
    tick('premultiplied by its alpha', !!f.premultiplied, (v) =>
      e('premultiplied', (x) => {
        x.frames.premultiplied = v;
      }),
    ),
    ...(kindOf(m) === 'Card'
      ? []
      : [
          tick('rendered without the lens: it is bent here', !!f.withoutLens, (v) =>
            e('lens', (x) => {
              x.frames.withoutLens = v;
            }),
          ),
          number(
            'Wider than the plate',
            f.overscan ?? 1,
            '×',
            (v) =>
              e('overscan', (x) => {
                x.frames.overscan = v;
              }),
            { min: 1, max: 3, digits: 4 },
          ),
          f.withoutLens
            ? h(
                'div',
                { class: 'actions' },
                button('How much this lens needs', async () => {
                  try {
                    const r = await get(api('camera/overscan'));
                    tell(
                      'told',
                      h(
                        'p',
                        { class: 'told fine', role: 'status' },
                        `Rendered ${r.needed.toFixed(4)} times as wide as the plate, a picture without the lens fills every frame once it is bent.`,
                      ),
                    );
                  } catch (err) {
                    tell('told', err);
                  }
                }),
              )
            : null,
        ]),
  ];
}

function ofKind(m, e) {
  if (kindOf(m) === 'Card')
    return [
      ...filmed(m, e),
      number(
        'Wide',
        m.widthMetres ?? 1,
        'm',
        (v) =>
          e('sized', (x) => {
            x.widthMetres = v;
          }),
        { min: 0.001 },
      ),
      tick('it faces the camera', !!m.facesCamera, (v) =>
        e('facing', (x) => {
          x.facesCamera = v;
        }),
      ),
      tick('lit like paper', !!m.lit, (v) =>
        e('lit', (x) => {
          x.lit = v;
        }),
      ),
    ];
  if (kindOf(m) === 'Rendered')
    return [...filmed(m, e), quiet('Merged by its own depth or positions where it brings some, else by the distance of its place.')];
  if (kindOf(m) !== 'Lettering') return [];
  const t = m.text,
    set = (what, change) => e(what, (x) => change(x.text));
  return [
    text(
      'Text',
      t.text,
      (v) =>
        v &&
        set('text', (x) => {
          x.text = v;
        }),
    ),
    choice(
      'Letters',
      t.serif ? 'serif' : 'plain',
      [
        ['plain', 'plain'],
        ['serif', 'with serifs'],
      ],
      (v) =>
        set('letters', (x) => {
          x.serif = v === 'serif';
        }),
    ),
    number(
      'Capitals are',
      t.heightMetres,
      'm',
      (v) =>
        set('height', (x) => {
          x.heightMetres = v;
        }),
      { min: 0.002 },
    ),
    number(
      'Thick',
      t.depthMetres,
      'm',
      (v) =>
        set('thickness', (x) => {
          x.depthMetres = v;
        }),
      { min: 0 },
    ),
    number(
      'Bevel',
      t.bevelMetres,
      'm',
      (v) =>
        set('bevel', (x) => {
          x.bevelMetres = v;
        }),
      { min: 0, digits: 4 },
    ),
    triple('Colour', t.color ?? [0.5, 0.5, 0.5], '', (v) =>
      set('colour', (x) => {
        x.color = v;
      }),
    ),
    tick('another colour at its head', has(t.headColor), (v) =>
      set('gradient', (x) => {
        x.headColor = v ? [0.8, 0.8, 0.8] : null;
      }),
    ),
    has(t.headColor)
      ? triple('At its head', t.headColor, '', (v) =>
          set('gradient', (x) => {
            x.headColor = v;
          }),
        )
      : null,
  ];
}

// Materials of the file, and what was chosen in their place.
const known = new Map();
function materials(m, e) {
  if (!['Mesh', 'Lettering'].includes(kindOf(m))) return null;
  const key = `${m.id}/${state.revision}`;
  if (!known.has(key)) {
    known.set(key, null);
    inLine(() => get(api(`elements/${encodeURIComponent(m.id)}/materials`)))
      .then((v) => {
        known.set(key, v);
        tell('chosen');
      })
      .catch(() => {});
  }
  const list = known.get(key) || [],
    set = (name, what, key_, value) =>
      e(`${name}, ${what}`, (x) => {
        x.materials ||= [];
        let c = x.materials.find((q) => q.name === name);
        if (!c) {
          c = { name };
          x.materials.push(c);
        }
        c[key_] = value;
      });
  return fold(
    'Materials',
    'materials',
    ...(list.length
      ? list.flatMap((q) => [
          h('h4', {}, `${q.name}${q.picture ? ', with a picture' : ''}${q.lambert ? ', matt' : ''}`),
          triple('Colour', q.baseColor, '', (v) => set(q.name, 'colour', 'baseColor', v)),
          number('Metallic', q.metallic, '', (v) => set(q.name, 'metallic', 'metallic', v), { min: 0, max: 1 }),
          number('Roughness', q.roughness, '', (v) => set(q.name, 'roughness', 'roughness', v), { min: 0, max: 1 }),
          triple('Shines by itself', q.emission, '', (v) => set(q.name, 'own light', 'emission', v)),
          (m.materials || []).some((c) => c.name === q.name)
            ? h(
                'div',
                { class: 'actions' },
                button(`${q.name} as its file says`, () =>
                  e(`${q.name} as its file says`, (x) => {
                    x.materials = x.materials.filter((c) => c.name !== q.name);
                  }),
                ),
              )
            : null,
        ])
      : [quiet('Reading what its file says.')]),
  );
}

function keyed(m, e) {
  const keys = m.keys || [],
    now = elementAt(m),
    own = keys.find((k) => k.frame === state.frame);
  return fold(
    'Keys over frames',
    'element-keys',
    quiet(
      keys.length
        ? `Keyed at ${keys.map((k) => k.frame).join(', ')}. What is changed at a frame becomes a key of it; the rail shows one value and takes its points.`
        : 'It stands still. Key it, and it moves between keys.',
    ),
    h(
      'div',
      { class: 'actions' },
      button(`Key it at ${state.frame}`, () =>
        e(`keyed at ${state.frame}`, (x) => {
          x.keys = [
            ...(x.keys || []).filter((k) => k.frame !== state.frame),
            { frame: state.frame, position: now.position, turnDegrees: now.turnDegrees, scale: now.scale, ease: own?.ease ?? 'Eased' },
          ].sort(byFrame);
        }),
      ),
      own
        ? button('Take this key away', () =>
            e(`key at ${state.frame} taken away`, (x) => {
              x.keys = x.keys.filter((k) => k.frame !== state.frame);
            }),
          )
        : null,
      keys.length
        ? button('Take all keys away', () =>
            e('keys taken away', (x) => {
              Object.assign(x, { position: now.position, turnDegrees: now.turnDegrees, scale: now.scale, keys: [] });
            }),
          )
        : null,
    ),
    own
      ? choice(
          'From here it goes',
          own.ease,
          [
            ['Eased', 'easing out and in'],
            ['Straight', 'straight'],
            ['Smooth', 'through without a corner'],
            ['Held', 'not at all, until the next'],
          ],
          (v) =>
            e('how it goes on', (x) => {
              x.keys.find((k) => k.frame === state.frame).ease = v;
            }),
        )
      : null,
    keys.length
      ? choice(
          'In the rail',
          pathOn,
          Object.entries(curves).map(([k, [t]]) => [k, t]),
          (v) => {
            pathOn = v;
            tell('chosen');
          },
        )
      : null,
  );
}

const credit = (m, e) =>
  fold(
    'Whose it is',
    'credit',
    ...[
      ['author', 'Made by'],
      ['licence', 'Licence'],
      ['source', 'From'],
    ].map(([k, t]) =>
      text(t, m.credit?.[k] ?? '', (v) =>
        e(t.toLowerCase(), (x) => {
          x.credit = { author: '', licence: '', source: '', ...(x.credit || {}), [k]: v };
        }),
      ),
    ),
  );

function one(d, m) {
  const e = (what, change) =>
    save(`${m.name}: ${what}`, (x) => {
      change(x.elements.find((q) => q.id === m.id));
      return x;
    });
  const stand = async (how, what) => {
    try {
      const placed = await post(`${api(`elements/${encodeURIComponent(m.id)}/stand`)}?how=${how}&frame=${state.frame}`, {
        document: state.document,
      });
      await e(what, (x) => {
        setKeyed(x, 'position', placed.position);
        x.up = placed.up;
      });
    } catch (err) {
      tell('told', err);
    }
  };
  const now = elementAt(m),
    placedByHand = kindOf(m) !== 'Rendered';
  const behind = state.hiddenBy?.[m.id];
  return [
    heading(m.name),
    behind
      ? told(
          {
            message: `At ${state.frame} it stands behind ${behind}, which hides all of it.`,
            mend: `Bring it nearer, or untick “hides what is behind it” of ${behind} at step 3.`,
          },
          true,
        )
      : null,
    text('Name', m.name, (v) =>
      e('named', (x) => {
        x.name = v || x.name;
      }),
    ),
    ...ofKind(m, e),
    ...(placedByHand
      ? [
          heading('How it stands'),
          h(
            'div',
            { class: 'actions' },
            button('Lower until it touches', () => stand('lower', 'lowered until it touches'), { next: true }),
            button('Lay on the surface', () => stand('lay', 'laid on the surface')),
            button('Click where it stands', () =>
              setHand(async (p) => {
                const hit = await pick(p.x, p.y);
                if (hit.onSet)
                  await e('placed', (x) => {
                    setKeyed(x, 'position', kept(x, hit.onSet));
                  });
                else tell('told', { message: 'Nothing of the set is there.', mend: 'Click on a piece.' });
              }),
            ),
          ),
          (m.keys || []).length
            ? h(
                'div',
                { class: 'actions' },
                button('Lower it at all its keys', async () => {
                  try {
                    const keys = await post(`${api(`elements/${encodeURIComponent(m.id)}/stand-keys`)}`, { document: state.document });
                    await e('lowered at its keys', (x) => {
                      x.keys = keys;
                    });
                  } catch (err) {
                    tell('told', err);
                  }
                }),
              )
            : null,
        ]
      : []),
    hangsOn('element', m),
    triple('Place', now.position, 'm', (v) =>
      e('moved', (x) => {
        setKeyed(x, 'position', v);
      }),
    ),
    ...(placedByHand
      ? [
          number('Turned', now.turnDegrees ?? 0, '°', (v) =>
            e('turned', (x) => {
              setKeyed(x, 'turnDegrees', v);
            }),
          ),
          number(
            'Scale',
            now.scale ?? 1,
            '',
            (v) =>
              e('scaled', (x) => {
                setKeyed(x, 'scale', v);
              }),
            { min: 1e-6 },
          ),
          keyed(m, e),
        ]
      : []),
    materials(m, e),
    credit(m, e),
    h(
      'div',
      { class: 'actions' },
      button(
        'Duplicate',
        () =>
          save(`Duplicated ${m.name}`, (x) => {
            const copy = structuredClone(x.elements.find((q) => q.id === m.id));
            copy.id = newId(x.elements, m.id.replace(/_\d+$/, ''));
            copy.name = copy.id.replace(/_/g, ' ');
            copy.position = copy.position.map((v, i) => v + (i === 0 ? 0.5 : 0));
            x.elements.push(copy);
            state.chosen.element = copy.id;
            return x;
          }),
        { title: 'The copy shares its file' },
      ),
      button(m.off ? 'Switch on' : 'Switch off', () =>
        e(m.off ? 'on' : 'off', (x) => {
          x.off = !x.off;
        }),
      ),
      button('Delete', () =>
        save(`Deleted ${m.name}`, (x) => {
          x.elements = x.elements.filter((q) => q.id !== m.id);
          return x;
        }),
      ),
    ),
  ];
}

// Filmed people: a matte stood in the place as a solid.
function people(d) {
  const own = d.pieces.filter((p) => p.kind === 'Figure'),
    matte = state.chosen.matte && (d.mattes || []).find((m) => m.id === state.chosen.matte),
    p = own.find((x) => x.id === state.chosen.figure) || own[0];
  const e = (what, change) =>
      save(`${p.name}: ${what}`, (x) => {
        change(x.pieces.find((q) => q.id === p.id));
        return x;
      }),
    key = p?.figure.keys?.find((k) => k.frame === state.frame);
  return fold(
    'Filmed people',
    'people',
    quiet(
      'Somebody’s matte, stood in the place as a solid: unseen, it throws shadow on elements and takes theirs, in every frame by its outline.',
    ),
    own.length
      ? rows(
          own.map((x) => ({ id: x.id, name: x.name, value: x.off ? 'off' : '' })),
          p?.id,
          (id) => {
            state.chosen.figure = id ?? p.id;
            tell('chosen');
          },
        )
      : null,
    h(
      'div',
      { class: 'actions' },
      button(
        matte ? `Stand ${matte.name} in the set` : 'Stand a matte in the set',
        () =>
          save(`Stood ${matte.name} in the set`, (x) => {
            const id = newId(x.pieces, 'figure');
            x.pieces.push({
              id,
              name: matte.name,
              kind: 'Figure',
              figure: { matte: matte.id, thicknessMetres: 0.25, towardsLight: false, keys: [] },
              duties: { receives: true, hides: true, wearsFootage: false, blocksLight: true },
            });
            state.chosen.figure = id;
            return x;
          }),
        { disabled: !matte || !d.camera, title: matte ? '' : 'Choose a matte first, in the list of mattes' },
      ),
    ),
    ...(p
      ? [
          choice('Its outline', p.figure.matte, matteChoices(), (v) =>
            e('outline', (x) => {
              x.figure.matte = v;
            }),
          ),
          number(
            'Thick',
            p.figure.thicknessMetres,
            'm',
            (v) =>
              e('thickness', (x) => {
                x.figure.thicknessMetres = v;
              }),
            { min: 0.002, max: 20 },
          ),
          choice(
            'Turned to',
            p.figure.towardsLight ? 'light' : 'camera',
            [
              ['camera', 'the camera'],
              ['light', 'the sun'],
            ],
            (v) =>
              e('turned', (x) => {
                x.figure.towardsLight = v === 'light';
              }),
          ),
          hangsOn('piece', p),
          p.figure.keys?.length ? figureChoice() : null,
          triple(`Moved at ${state.frame}`, straightAt(p.figure.keys, 'shift') ?? [0, 0, 0], 'm', (v) =>
            e(`moved at ${state.frame}`, (x) => {
              keyHere(x.figure).shift = v;
            }),
          ),
          number(
            'and sized',
            straightAt(p.figure.keys, 'scale') ?? 1,
            'times',
            (v) =>
              e(`sized at ${state.frame}`, (x) => {
                keyHere(x.figure).scale = v;
              }),
            { min: 0.02, max: 50 },
          ),
          key
            ? h(
                'div',
                { class: 'actions' },
                button('Take this correction away', () =>
                  e('correction taken away', (x) => {
                    x.figure.keys = x.figure.keys.filter((k) => k.frame !== state.frame);
                  }),
                ),
              )
            : null,
          tick('it hides what is behind it', p.duties.hides !== false, (v) =>
            e('hides', (x) => {
              x.duties.hides = v;
            }),
          ),
          h(
            'div',
            { class: 'actions' },
            button(p.off ? 'Switch on' : 'Switch off', () =>
              e(p.off ? 'on' : 'off', (x) => {
                x.off = !x.off;
              }),
            ),
            button('Take it away', () =>
              save(`${p.name} taken away`, (x) => {
                x.pieces = x.pieces.filter((q) => q.id !== p.id);
                return x;
              }),
            ),
          ),
        ]
      : []),
  );
}
export function contactSection() {
  const d = state.document,
    m = chosen();
  refreshPath();
  const place = (x) => (kindOf(x) === 'Rendered' ? kinds.Rendered : x.position.map((v) => v.toFixed(2)).join(', '));
  return [
    heading('Elements'),
    d.elements.length
      ? rows(
          d.elements.map((x) => ({ id: x.id, name: x.name, value: x.off ? 'off' : kindOf(x) === 'Mesh' ? place(x) : kinds[kindOf(x)] })),
          m?.id,
          (id) => {
            state.chosen.element = id ?? m.id;
            tell('chosen');
          },
        )
      : quiet('Nothing is added yet. Bring a mesh, a card or rendered frames in.'),
    bringing(d),
    ...(m ? one(d, m) : []),
    heading('How they touch'),
    number(
      'Contact darkens by',
      100 * (d.contact?.strength ?? 0),
      '%',
      (v) =>
        save('Contact look', (x) => {
          x.contact = { reachMetres: 0.06, ...(x.contact || {}), strength: v / 100 };
          return x;
        }),
      { min: 0, max: 100, digits: 0 },
    ),
    d.contact?.strength > 0
      ? number(
          'within',
          100 * d.contact.reachMetres,
          'cm',
          (v) =>
            save('Contact’s reach', (x) => {
              x.contact.reachMetres = v / 100;
              return x;
            }),
          { min: 0.05, max: 2000, digits: 1 },
        )
      : null,
    tick('elements throw light back onto the set, once', !!d.bounces, (v) =>
      save('Light thrown back', (x) => {
        x.bounces = v;
        return x;
      }),
    ),
    ...shadowSection(m),
    people(d),
    matteSection(),
  ].filter(Boolean);
}

on('frame', () => {
  if (state.step === 6) tell('chosen');
});

// For the rail: one of the corrections of the chosen filmed person.
let figureOn = 'x';
const figureParts = {
  x: ['shift', 0, 'moved along x, m'],
  y: ['shift', 1, 'moved up, m'],
  z: ['shift', 2, 'moved along z, m'],
  scale: ['scale', null, 'sized, times'],
};
export function figureCurve() {
  const own = state.step === 6 ? state.document.pieces.filter((p) => p.kind === 'Figure') : [],
    p = own.find((x) => x.id === state.chosen.figure);
  if (!p?.figure.keys?.length) return null;
  const [key, part, name] = figureParts[figureOn],
    of = (v) => (part === null ? v : v[part]);
  return straightCurve(`${p.name}, ${name}`, p.figure.keys, key, of, (frame, value) =>
    save(`${p.name}: correction at ${frame}`, (d) => {
      const k = d.pieces.find((x) => x.id === p.id).figure.keys.find((q) => q.frame === frame);
      if (part === null) k[key] = value;
      else k[key][part] = value;
      return d;
    }),
  );
}
const figureChoice = () =>
  choice(
    'In the rail',
    figureOn,
    Object.entries(figureParts).map(([k, [, , t]]) => [k, t]),
    (v) => {
      figureOn = v;
      tell('chosen');
    },
  );
