// The projection's sheet: what is laid on the set and how, what is filled or painted, what is taken away as textures, views from elsewhere.
import { get, picture, post, upload } from './api.js';
import { button, choice, fold, h, heading, notes, number, quiet, rows, text, tick, told, triple } from './build.js';
import { changed, inLine, on, save, setHand, state, tell } from './state.js';
import { newId } from './pieces.js';
import { matteTools } from './mattes.js';
import { pick } from './picture.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
const fresh = (d, extra) => ({
  id: newId(d.projections, 'projection'),
  kind: 'Held',
  pieces: [],
  fadeFromDegrees: 72,
  fadeToDegrees: 84,
  matteFeatherPixels: 2,
  ...extra,
});
const cameraName = (id) => state.document.otherCameras?.find((c) => c.id === id)?.name || 'the shot’s camera';
const change = (p, what, act) =>
  save(`${p.name}: ${what}`, (d) => {
    act(d.projections.find((x) => x.id === p.id));
    return d;
  });
const begin = async (path, body) => {
  try {
    await post(api(path), body);
    tell('told', null);
    tell('jobs-now');
  } catch (e) {
    tell('told', e);
  }
};

// What the frames could cover, and what the projections cover now.
let plan = null,
  planOf = 0;
function planned(d) {
  if (planOf !== state.revision && d.camera && d.pieces.length) {
    planOf = state.revision;
    get(`${api('sources')}?revision=${state.revision}`)
      .then((p) => {
        plan = p;
        state.neverSeen = p.neverSeen;
        tell('plan');
        if (state.step === 4) tell('chosen');
      })
      .catch((e) => tell('told', e));
  }
  if (!plan) return d.camera && d.pieces.length ? [quiet('Asking every frame what it sees of the set.')] : [];
  const have = new Set(d.projections.filter((p) => !p.camera && p.kind !== 'Picture').map((p) => p.frame)),
    bare = plan.pieces.filter((p) => p.covered < 0.02).map((p) => d.pieces.find((q) => q.id === p.id)?.name || p.id);
  return [
    heading('Best sources'),
    h(
      'ul',
      { class: 'plain', id: 'best-sources' },
      h('li', {}, `The projections cover ${(100 * plan.now).toFixed(1)} % of the set now.`),
      ...plan.plan.map((p) =>
        h(
          'li',
          {},
          h('span', { class: 'num' }, `${p.frame}: ${(100 * p.covered).toFixed(1)} % `),
          have.has(p.frame)
            ? 'is laid on'
            : button(`Lay ${p.frame} on`, () =>
                save(`Projected ${p.frame}`, (x) => {
                  x.projections.push(fresh(x, { name: `frame ${p.frame}`, frame: p.frame }));
                  return x;
                }),
              ),
        ),
      ),
    ),
    bare.length
      ? quiet(`Hardly seen by any: ${bare.slice(0, 6).join(', ')}${bare.length > 6 ? ` and ${bare.length - 6} more` : ''}.`)
      : null,
  ];
}

const kindOf = (p) =>
  p.kind === 'Picture'
    ? p.ownColour
      ? `own colour, ${p.frame}`
      : `picture of ${p.frame}`
    : p.kind === 'Running'
      ? 'as it runs'
      : `at ${p.frame}`;

function one(d, p) {
  const e = (what, act) => change(p, what, act),
    at = d.projections.indexOf(p),
    mattes = d.mattes || [];
  const move = (by) =>
    save(`${p.name} ${by < 0 ? 'before' : 'after'} its neighbour`, (x) => {
      const [own] = x.projections.splice(at, 1);
      x.projections.splice(at + by, 0, own);
      return x;
    });
  const nothing = !p.off && planOf === state.revision && plan?.nothing.includes(p.id);
  return [
    heading(p.name),
    nothing
      ? told({
          message: `${p.name} lies on nothing: no piece that wears footage is seen from its camera at ${p.kind === 'Running' ? 'the first frame' : p.frame}.`,
          mend: 'Build a piece there, tick “wears footage” on one, or let it lie on all pieces.',
        })
      : null,
    p.madeBy ? quiet(p.madeBy) : null,
    text('Name', p.name, (v) =>
      e('named', (x) => {
        x.name = v || x.name;
      }),
    ),
    p.kind === 'Picture'
      ? null
      : choice(
          'It shows',
          p.kind,
          [
            ['Held', 'one frame, held'],
            ['Running', 'the plate as it runs'],
          ],
          (v) =>
            e('shows', (x) => {
              x.kind = v;
            }),
        ),
    p.kind === 'Running'
      ? null
      : number(
          'Frame',
          p.frame,
          '',
          (v) =>
            e('frame', (x) => {
              x.frame = Math.round(v);
              if (/^frame \d+$/.test(x.name)) x.name = `frame ${x.frame}`;
            }),
          { disabled: p.kind === 'Picture' },
        ),
    d.otherCameras?.length
      ? choice('Through', p.camera ?? '', [['', 'the shot’s camera'], ...d.otherCameras.map((c) => [c.id, c.name])], (v) =>
          e('camera', (x) => {
            x.camera = v || null;
          }),
        )
      : null,
    number(
      'Fades from',
      p.fadeFromDegrees,
      '°',
      (v) =>
        e('fade', (x) => {
          x.fadeFromDegrees = v;
        }),
      { min: 0, max: 90 },
    ),
    number(
      'is gone at',
      p.fadeToDegrees,
      '°',
      (v) =>
        e('fade', (x) => {
          x.fadeToDegrees = v;
        }),
      { min: 0, max: 90 },
    ),
    tick('it fades with distance', p.fadeFromMetres !== null && p.fadeFromMetres !== undefined, (v) =>
      e('distance', (x) => {
        [x.fadeFromMetres, x.fadeToMetres] = v ? [10, 20] : [null, null];
      }),
    ),
    ...(p.fadeFromMetres !== null && p.fadeFromMetres !== undefined
      ? [
          number(
            'whole up to',
            p.fadeFromMetres,
            'm',
            (v) =>
              e('distance', (x) => {
                x.fadeFromMetres = v;
              }),
            { min: 0 },
          ),
          number(
            'gone at',
            p.fadeToMetres,
            'm',
            (v) =>
              e('distance', (x) => {
                x.fadeToMetres = v;
              }),
            { min: 0 },
          ),
        ]
      : []),
    choice('Matte', p.matte ?? '', [['', 'none'], ...mattes.map((m) => [m.id, m.name])], (v) =>
      e('matte', (x) => {
        x.matte = v || null;
        state.chosen.matte = v || null;
      }),
    ),
    ...(p.matte
      ? [
          choice(
            'What lies inside it',
            p.matteShows ? 'shows' : 'out',
            [
              ['out', 'is left out'],
              ['shows', 'is all that is shown'],
            ],
            (v) =>
              e('matte', (x) => {
                x.matteShows = v === 'shows';
              }),
          ),
          number(
            'Its edge is',
            p.matteFeatherPixels ?? 2,
            'px',
            (v) =>
              e('matte', (x) => {
                x.matteFeatherPixels = v;
              }),
            { min: 0, max: 500 },
          ),
        ]
      : []),
    fold(
      'Only on some pieces',
      'pieces',
      p.pieces.length
        ? quiet(`On ${p.pieces.length} of ${d.pieces.length} pieces.`)
        : quiet('On all pieces that wear footage. Choose some to keep it to them.'),
      rows(
        d.pieces.map((q) => ({ id: q.id, name: q.name, value: '' })),
        p.pieces,
        (id) =>
          e('pieces', (x) => {
            x.pieces = x.pieces.includes(id) ? x.pieces.filter((q) => q !== id) : [...x.pieces, id];
          }),
        { long: true },
      ),
    ),
    h(
      'div',
      { class: 'actions' },
      button('Earlier', () => move(-1), { disabled: at === 0 }),
      button('Later', () => move(1), { disabled: at === d.projections.length - 1 }),
      button(p.off ? 'Switch on' : 'Switch off', () =>
        e(p.off ? 'on' : 'off', (x) => {
          x.off = !x.off;
        }),
      ),
      button('Delete', () =>
        save(`Deleted ${p.name}`, (x) => {
          x.projections = x.projections.filter((q) => q.id !== p.id);
          return x;
        }),
      ),
    ),
    p.kind === 'Picture' && !p.ownColour
      ? h(
          'p',
          {},
          h('a', { class: 'take', href: `${api(`projections/${encodeURIComponent(p.id)}/frame`)}`, download: '' }, 'Take it as a frame'),
          ', with the plate’s grain where it was changed.',
        )
      : null,
  ].filter(Boolean);
}

// Cameras beside the shot's own: brought from other shots, matched, how they meet.
let shots = null,
  meetings = null,
  meetingsOf = '';
function cameras(d) {
  if (!shots) {
    shots = [];
    get('/api/shots')
      .then((s) => {
        shots = s;
        tell('chosen');
      })
      .catch(() => {});
  }
  const others = d.otherCameras || [],
    more = shots.filter((s) => s.id !== state.id && s.production === d.production),
    used = new Set(d.projections.filter((p) => !p.off).map((p) => p.camera ?? ''));
  const key = `${state.revision}`;
  if (used.size > 1 && meetingsOf !== key) {
    meetingsOf = key;
    get(`${api('meetings')}?revision=${state.revision}&frame=${state.frame}`)
      .then((m) => {
        meetings = m;
        if (state.step === 4) tell('chosen');
      })
      .catch((e) => tell('told', e));
  }
  const from = h(
    'select',
    { class: 'blank', 'aria-label': 'Shot whose camera comes beside ours' },
    ...more.map((s) => h('option', { value: s.id }, `${s.code} ${s.title || ''}`)),
  );
  const bare = (c) => c.gain.every((g) => Math.abs(g - 1) < 1e-6);
  return fold(
    'Other cameras',
    'cameras',
    others.length
      ? h(
          'ul',
          { class: 'plain', id: 'other-cameras' },
          ...others.map((c) =>
            h(
              'li',
              {},
              h('span', {}, `${c.name} `),
              h(
                'span',
                { class: 'num quiet' },
                bare(c)
                  ? 'as filmed'
                  : `${c.gain.map((g) => (Math.log2(g) >= 0 ? '+' : '−') + Math.abs(Math.log2(g)).toFixed(2)).join(' ')} stops`,
              ),
              h(
                'div',
                { class: 'actions' },
                button(`Lay ${c.name} on`, () =>
                  save(`Projected ${c.name}, ${state.frame}`, (x) => {
                    x.projections.push(fresh(x, { name: `${c.name}, frame ${state.frame}`, frame: state.frame, camera: c.id }));
                    return x;
                  }),
                ),
                bare(c)
                  ? null
                  : button('As filmed', () =>
                      save(`${c.name} as filmed`, (x) => {
                        x.otherCameras.find((q) => q.id === c.id).gain = [1, 1, 1];
                        return x;
                      }),
                    ),
                button('Take it away', () =>
                  save(`${c.name} taken away`, (x) => {
                    x.otherCameras = x.otherCameras.filter((q) => q.id !== c.id);
                    x.projections = x.projections.filter((q) => q.camera !== c.id);
                    return x;
                  }),
                ),
              ),
            ),
          ),
        )
      : quiet(
          'The shot has its own camera only. Another shot of the same place, oriented to the same world, can lend its camera and plate.',
        ),
    more.length
      ? h(
          'div',
          { class: 'actions' },
          from,
          button('Bring its camera beside', async () => {
            try {
              await changed('other-cameras', { shot: Number(from.value) });
              tell('told', null);
            } catch (e) {
              tell('told', e);
            }
          }),
        )
      : null,
    used.size > 1
      ? h(
          'div',
          { class: 'actions' },
          button(
            'Match exposure and white',
            async () => {
              try {
                const matched = await post(api('match-cameras'), { document: state.document, frame: state.frame });
                await save('Matched the cameras', (x) => {
                  x.otherCameras = matched;
                  return x;
                });
              } catch (e) {
                tell('told', e);
              }
            },
            { next: others.some(bare) },
          ),
        )
      : null,
    used.size > 1 && meetings
      ? h(
          'ul',
          { class: 'plain', id: 'meetings' },
          ...meetings.map((m) =>
            h(
              'li',
              {},
              `${m.first} and ${m.second}: ${m.overlap > 0 ? `${(100 * m.overlap).toFixed(0)} % shared` : 'nothing shared'}${m.parallaxDegrees !== null && m.parallaxDegrees !== undefined ? `, parallax ${m.parallaxDegrees.toFixed(1)}° along the shortest border, ${m.worstParallaxDegrees.toFixed(1)}° at worst` : ''}${m.spots ? `; ${m.stopsBefore.toFixed(2)} stops apart as filmed, ${m.stopsNow.toFixed(2)} now` : ''}`,
            ),
          ),
        )
      : null,
  );
}

function sharing(d) {
  return d.projections.length < 2
    ? []
    : [
        choice(
          'Where they share a spot',
          d.projectionsMix,
          [
            ['Order', 'the first one is seen'],
            ['Quality', 'the better one wins'],
            ['Seam', 'a border seen least'],
          ],
          (v) =>
            save('How projections share', (x) => {
              x.projectionsMix = v;
              return x;
            }),
        ),
        d.projectionsMix === 'Seam'
          ? number(
              'The border is wide',
              d.seamBlendPixels ?? 12,
              'px',
              (v) =>
                save('Border’s width', (x) => {
                  x.seamBlendPixels = v;
                  return x;
                }),
              { min: 0, max: 500 },
            )
          : null,
      ].filter(Boolean);
}

const filling = { how: 'Frames', meets: false };
function fill(d) {
  const matte = (d.mattes || []).find((m) => m.id === state.chosen.matte);
  return fold(
    'Fill what must go',
    'fill',
    quiet('Draw a matte around it. What lies inside is filled in this frame, and the picture is laid on before the others.'),
    ...matteTools(),
    choice(
      'It is filled',
      filling.how,
      [
        ['Frames', 'from other frames, through the set'],
        ['Patches', 'by patches of its own'],
        ['Smooth', 'smoothly from the rim'],
      ],
      (v) => {
        filling.how = v;
        tell('chosen');
      },
    ),
    filling.how === 'Frames'
      ? tick('brought to the rim, where the light changed', filling.meets, (v) => {
          filling.meets = v;
        })
      : null,
    h(
      'div',
      { class: 'actions' },
      button(
        `Fill ${matte ? matte.name : 'it'} at ${state.frame}`,
        () => begin('fill', { frame: state.frame, matte: matte.id, how: filling.how, meetsRim: filling.meets }),
        { disabled: !matte, next: !!matte },
      ),
    ),
  );
}

const painting = { colour: false };
function paint(d) {
  const file = h('input', { type: 'file', accept: '.png,.tif,.tiff,.exr,.jpg', 'aria-label': 'Painted frame' });
  const link = (exr) =>
    h(
      'a',
      { class: 'take', href: `${api(`frames/${state.frame}/paint`)}?colour=${painting.colour}&exr=${exr}`, download: '' },
      exr ? 'EXR, linear' : 'PNG, 16 bits',
    );
  return fold(
    'Paint over',
    'paint',
    quiet('A frame goes out to a paint program and comes back as a picture that is laid on.'),
    tick('the surface’s own colour, under the light', painting.colour, (v) => {
      painting.colour = v;
      tell('chosen');
    }),
    painting.colour && !d.lights.some((l) => !l.off && l.inPlate !== false)
      ? quiet('Own colour needs the light that was there: set it at step 5.')
      : h('p', {}, `Take ${state.frame} out: `, link(false), ' or ', link(true)),
    h(
      'div',
      { class: 'actions' },
      file,
      button(`Bring ${state.frame} back`, async () => {
        const form = new FormData();
        for (const f of file.files) form.append('files', f, f.name);
        form.append('colour', painting.colour);
        try {
          const r = await inLine(() => upload(api(`frames/${state.frame}/paint`), form));
          tell('told', r.notes.length ? notes(r.notes) : null);
        } catch (e) {
          tell('told', e);
        }
      }),
    ),
  );
}

const baking = { texel: null, keep: false };
const files = (kind) => {
  const j = state.jobs.find((x) => x.kind === kind && x.output);
  return j
    ? h(
        'ul',
        { class: 'plain' },
        ...JSON.parse(j.output)
          .slice(0, 40)
          .map((f) => h('li', { class: 'num' }, h('a', { href: `/renders/${j.id}/${f}` }, f))),
      )
    : null;
};
function bake(d) {
  const own = d.pieces.filter((p) => p.baked);
  return fold(
    'Textures of its own',
    'bake',
    quiet('Writes what the projections show into textures of the pieces: as files, and, kept on them, footage that goes where they go.'),
    number(
      'A texel is',
      baking.texel ?? NaN,
      'mm',
      (v) => {
        baking.texel = v;
      },
      { min: 0.01, max: 10000 },
    ),
    quiet('Empty: as fine as the sources show.'),
    tick('the pieces keep them instead of the projections', baking.keep, (v) => {
      baking.keep = v;
    }),
    h(
      'div',
      { class: 'actions' },
      button('Bake all', () => begin('bake', { frame: state.frame, texelMillimetres: baking.texel, keep: baking.keep }), {
        disabled: !d.projections.length,
      }),
      state.chosen.piece
        ? button(`Bake ${d.pieces.find((p) => p.id === state.chosen.piece)?.name}`, () =>
            begin('bake', { frame: state.frame, pieces: [state.chosen.piece], texelMillimetres: baking.texel, keep: baking.keep }),
          )
        : null,
    ),
    own.length
      ? h(
          'ul',
          { class: 'plain', id: 'baked' },
          ...own.slice(0, 12).map((p) =>
            h(
              'li',
              {},
              `${p.name}: ${p.baked.tiles.length} texture${p.baked.tiles.length > 1 ? 's' : ''}, ${(1000 * p.baked.texel).toFixed(1)} mm, ${(100 * p.baked.covered).toFixed(0)} % covered `,
              button(`Let ${p.name}’s go`, () =>
                save(`${p.name} wears the projections again`, (x) => {
                  x.pieces.find((q) => q.id === p.id).baked = null;
                  return x;
                }),
              ),
            ),
          ),
          own.length > 12 ? h('li', {}, `and ${own.length - 12} more`) : null,
        )
      : null,
    own.length > 1
      ? h(
          'div',
          { class: 'actions' },
          button('Let all go', () =>
            save('All pieces wear the projections again', (x) => {
              for (const q of x.pieces) q.baked = null;
              return x;
            }),
          ),
        )
      : null,
    files('bake'),
  );
}

// A view from elsewhere: set up here, looked at small, rendered in the tray.
const view = {
  moved: [0, 0, 0],
  turned: [0, 0, 0],
  steadyFrames: 0,
  focalMm: null,
  overscan: 1,
  spot: null,
  sphereWidth: 2048,
  filled: false,
};
let shown = null,
  looking = 0;
async function look() {
  const mine = ++looking;
  try {
    const bitmap = await picture(`${api(`frames/${state.frame}/elsewhere`)}?width=640`, view);
    if (mine !== looking) return;
    shown = bitmap;
    tell('told', null);
    tell('chosen');
  } catch (e) {
    tell('told', e);
  }
}
function elsewhere(d) {
  const sphere = !!view.spot,
    again = (act) => (v) => {
      act(v);
      look();
    },
    { first, last } = d.cut || d.range;
  const canvas = shown
    ? h('canvas', { width: shown.width, height: shown.height, class: 'small-picture', role: 'img', 'aria-label': 'The set from elsewhere' })
    : null;
  if (canvas) canvas.getContext('2d').drawImage(shown, 0, 0);
  return fold(
    'From elsewhere',
    'elsewhere',
    choice(
      'Seen by',
      sphere ? 'sphere' : 'camera',
      [
        ['camera', 'the shot’s camera, changed'],
        ['sphere', 'a sphere around a spot'],
      ],
      (v) => {
        view.spot = v === 'sphere' ? [0, 1.6, 0] : null;
        look();
      },
    ),
    ...(sphere
      ? [
          triple(
            'Spot',
            view.spot,
            'm',
            again((v) => {
              view.spot = v;
            }),
          ),
          h(
            'div',
            { class: 'actions' },
            button('Above a spot I click', () =>
              setHand(async (p) => {
                const hit = await pick(p.x, p.y);
                if (!hit.onSet) {
                  tell('told', { message: 'Nothing of the set is there.', mend: 'Click on a piece.' });
                  return;
                }
                view.spot = hit.onSet.map((v, i) => v + (i === 1 ? 1.6 : 0));
                look();
              }),
            ),
          ),
          number(
            'Its width',
            view.sphereWidth,
            'px',
            (v) => {
              view.sphereWidth = Math.round(v);
            },
            { min: 64, max: 16384 },
          ),
        ]
      : [
          triple(
            'Moved right, up, back',
            view.moved,
            'm',
            again((v) => {
              view.moved = v;
            }),
          ),
          triple(
            'Raised, turned, rolled',
            view.turned,
            '°',
            again((v) => {
              view.turned = v;
            }),
            2,
          ),
          number(
            'Steadied over',
            view.steadyFrames,
            'frames',
            again((v) => {
              view.steadyFrames = v;
            }),
            { min: 0, max: 200 },
          ),
          number(
            'Focal length',
            view.focalMm ?? NaN,
            'mm',
            again((v) => {
              view.focalMm = v;
            }),
            { min: 1, max: 5000 },
          ),
          number(
            'Wider by',
            view.overscan,
            'times',
            again((v) => {
              view.overscan = v;
            }),
            { min: 1, max: 4 },
          ),
        ]),
    tick('fill what nothing covers', view.filled, (v) => {
      view.filled = v;
      look();
    }),
    h(
      'div',
      { class: 'actions' },
      button('Look', look, { disabled: !d.projections.length }),
      button(`Render ${first}–${last} as EXR`, () => begin('elsewhere', { first, last, view }), { disabled: !d.projections.length }),
      button(`Only ${state.frame}`, () => begin('elsewhere', { first: state.frame, last: state.frame, view }), {
        disabled: !d.projections.length,
      }),
    ),
    canvas,
    files('elsewhere'),
  );
}

export function projectionSection() {
  const d = state.document,
    p = d.projections.find((x) => x.id === state.chosen.projection) || d.projections[0];
  return [
    ...planned(d),
    heading('Projections'),
    d.projections.length
      ? rows(
          d.projections.map((x) => ({
            id: x.id,
            name: x.name,
            value: x.off ? 'off' : `${kindOf(x)}${x.camera ? `, ${cameraName(x.camera)}` : ''}`,
          })),
          p?.id,
          (id) => {
            state.chosen.projection = id ?? p.id;
            const m = d.projections.find((x) => x.id === state.chosen.projection)?.matte;
            if (m) state.chosen.matte = m;
            tell('chosen');
          },
        )
      : quiet('Nothing is projected yet: go to a frame that sees much of the set, and lay it on.'),
    h(
      'div',
      { class: 'actions' },
      button(
        `Lay frame ${state.frame} on the set`,
        () =>
          save(`Projected ${state.frame}`, (x) => {
            x.projections.push(fresh(x, { name: `frame ${state.frame}`, frame: state.frame }));
            return x;
          }),
        { next: !d.projections.length },
      ),
      button('Lay the plate on as it runs', () =>
        save('Projected the running plate', (x) => {
          x.projections.push(fresh(x, { name: 'the plate as it runs', kind: 'Running', frame: x.range.first }));
          return x;
        }),
      ),
    ),
    ...sharing(d),
    ...(p ? one(d, p) : []),
    cameras(d),
    fill(d),
    paint(d),
    bake(d),
    elsewhere(d),
  ].filter(Boolean);
}

on('frame', () => {
  if (shown && state.step === 4) look();
});
