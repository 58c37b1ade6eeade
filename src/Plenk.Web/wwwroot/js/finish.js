// The finish's sheet: steps in the order of light and lens, what is measured to set them, and how plate and element lie in the scopes.
import { mark } from './marks.js';
import { get, post, upload } from './api.js';
import { button, choice, fold, frameTiming, h, heading, notes, number, quiet, rows, textOf, tick } from './build.js';
import { keyHere } from './keys.js';
import { matteChoices } from './mattes.js';
import { inLine, on, save, setHand, state, tell } from './state.js';
import { begun, field, kindOf, kinds, lamps, order } from './stepfields.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
const steps = () => [...(state.document.finish?.steps || [])].sort((a, b) => order(a) - order(b));
const chosen = () => steps().find((s) => s.id === state.chosen.finish);

function freeId(all, kind) {
  let k = 1;
  while (all.some((s) => s.id === `${kind.toLowerCase()}_${k}`)) k++;
  return `${kind.toLowerCase()}_${k}`;
}
const edit = (what, act) => {
  const { id } = chosen();
  return save(`${kindOf(chosen()).title}: ${what}`, (x) => {
    act(x.finish.steps.find((s) => s.id === id));
    return x;
  });
};

// Asks the server to measure, and saves what it sets as one change.
async function measured(what, path, body, into) {
  tell('told', h('p', { class: 'quiet', role: 'status' }, 'Measuring plate and element.'));
  state.holding++;
  try {
    const r = await post(api(path), body);
    await save(what, (x) => {
      into(x, r);
      return x;
    });
    tell('told', notes(r.notes || [r.note], 'What was measured:', true));
  } catch (e) {
    tell('told', e);
  } finally {
    state.holding--;
  }
}
// In the tray: it goes on when the page is left. Each step is a change of its own.
async function bring(kind, white = false) {
  try {
    await post(api('finish/bring'), { kind, white });
    tell('told', h('p', { class: 'quiet', role: 'status' }, 'Plate and element are measured; the tray shows how far it is.'));
    tell('jobs-now');
  } catch (e) {
    tell('told', e);
  }
}
const bringAll = () => bring(null);

function gradeFields(s) {
  const g = s.grade,
    set = (name, v) =>
      edit(name, (x) => {
        x.grade[name] = v;
      });
  const file = h('input', { type: 'file', accept: '.cc,.ccc,.cdl', 'aria-label': 'CDL file' });
  return [
    choice(
      'Of',
      s.of ?? 'Element',
      [
        ['Element', 'the element'],
        ['Diffuse', 'its diffuse'],
        ['Specular', 'its specular'],
        ['Reflection', 'its reflection'],
        ['Emission', 'its own light'],
        ['Light', 'one light’s part'],
        ['Added', 'new lamps on the set'],
        ['Mirror', 'what mirrors show'],
      ],
      (v) =>
        edit('part', (x) => {
          x.of = v;
          if (v === 'Light') x.light ??= state.document.lights[0]?.id;
        }),
    ),
    s.of === 'Light'
      ? choice('Light', s.light, lamps(), (v) =>
          edit('light', (x) => {
            x.light = v;
          }),
        )
      : null,
    ...described(s),
    textOf(
      'Curve',
      (g.curve || []).map((p) => `${p.in}:${p.out}`).join(' '),
      (v) => {
        const points = v
          .split(/\s+/)
          .filter(Boolean)
          .map((p) => p.split(':').map(Number));
        return points.length === 1 || points.some((p) => p.length !== 2 || p.some(Number.isNaN))
          ? undefined
          : points.length
            ? points.map(([i, o]) => ({ in: i, out: o }))
            : null;
      },
      'Points as in:out, like 0:0 0.18:0.2 1:1; nothing for none',
      (v) => set('curve', v),
      { placeholder: '0:0 0.18:0.2 1:1' },
    ),
    h(
      'p',
      {},
      g.cdl ? `CDL ${g.cdl.name}, on ACEScct codes. ` : 'No CDL. ',
      g.cdl ? h('a', { href: api(`finish/${s.id}/grade.cc`), download: '' }, 'Take it along') : null,
    ),
    h(
      'div',
      { class: 'actions' },
      file,
      button('Bring this CDL in', async () => {
        const form = new FormData();
        for (const f of file.files) form.append('files', f, f.name);
        try {
          const cdl = await inLine(() => upload(api('finish/cdl'), form));
          await edit('CDL', (x) => {
            x.grade.cdl = cdl;
          });
        } catch (e) {
          tell('told', e);
        }
      }),
      g.cdl
        ? button('Without CDL', () =>
            edit('CDL off', (x) => {
              x.grade.cdl = null;
            }),
          )
        : null,
    ),
  ];
}

function reframeFields(s) {
  const r = s.reframe,
    here = (r.keys || []).find((k) => k.frame === state.frame),
    set = (name, v) =>
      edit(`${name} at ${state.frame}`, (x) => {
        keyHere(x.reframe, { ease: 'Smooth' })[name] = v;
      });
  return [
    number('Across', here?.x ?? NaN, 'px', (v) => set('x', v)),
    number('Down', here?.y ?? NaN, 'px', (v) => set('y', v)),
    number('Turned', here?.turnDegrees ?? NaN, '°', (v) => set('turnDegrees', v)),
    number('Enlarged', here?.scale ?? NaN, '×', (v) => set('scale', v), { min: 0.01 }),
    here
      ? h(
          'div',
          { class: 'actions' },
          button(`Take the key at ${state.frame} away`, () =>
            edit('key taken away', (x) => {
              x.reframe.keys = x.reframe.keys.filter((k) => k.frame !== state.frame);
            }),
          ),
        )
      : quiet(`What is typed becomes a key of ${state.frame}.`),
    ...described(s),
  ];
}

// By noise that rises, or by pictures: their red and green about the middle are pixels across and down.
function rippleFields(s) {
  const file = h('input', { type: 'file', accept: '.png,.tif,.tiff,.jpg', multiple: true, 'aria-label': 'Driving pictures' }),
    { frames } = s.ripple;
  return [
    ...described(s, (f) => !frames || f.path === 'ripple.pixels'),
    ...(frames
      ? frameTiming(
          frames,
          (what, act) => edit(what, act),
          (x) => x.ripple.frames,
        )
      : []),
    h(
      'div',
      { class: 'actions' },
      file,
      button('Drive it by these pictures', async () => {
        const form = new FormData();
        for (const f of file.files) form.append('files', f, f.name);
        try {
          const r = await inLine(() => upload(api('finish/driving'), form));
          await edit('driven by pictures', (x) => {
            x.ripple.frames = r.source;
          });
          if (r.notes.length) tell('told', notes(r.notes));
        } catch (e) {
          tell('told', e);
        }
      }),
      frames
        ? button('By noise again', () =>
            edit('by noise', (x) => {
              x.ripple.frames = null;
            }),
          )
        : null,
    ),
  ];
}

const focusHere = () =>
  setHand(async (p) => {
    try {
      const hit = await get(api(`frames/${state.frame}/pixel?x=${p.x}&y=${p.y}&revision=${state.revision}`));
      if (!hit.distance) throw new Error('Nothing of the set is hit there: no distance is known.');
      await edit('focus', (x) => {
        x.defocus.focusMetres = Math.round(hit.distance * 1000) / 1000;
      });
    } catch (e) {
      tell('told', e);
    }
  });
const fitHaze = () =>
  measured('Haze fitted', 'finish/haze', {}, (x, r) => {
    x.finish.steps = [...x.finish.steps.filter((q) => q.id !== r.step.id), r.step];
  });

// The fields as the server describes them, and what some kinds have beside them.
const described = (s, which = () => true) =>
  kindOf(s)
    .fields.filter(which)
    .map((f) => field(s, f, edit));
const whole = { Grade: gradeFields, Ripple: rippleFields, Reframe: reframeFields };
const actions = {
  Levels: () => [
    button('Lift to the plate’s black', () => bring('Levels')),
    button('White down to the plate’s too', () => bring('Levels', true)),
  ],
  Haze: () => [button('Fit it to the set’s distances', fitHaze)],
  Defocus: () => [button('Focus where I click', focusHere)],
  EdgeWidth: () => [button('As wide as the plate’s edges', () => bring('EdgeWidth'))],
};
function fieldsOf(s) {
  const { kind, hint } = kindOf(s),
    more = actions[kind]?.();
  return [...(whole[kind] ?? described)(s), more ? h('div', { class: 'actions' }, ...more) : null, hint ? quiet(hint) : null];
}

// Whom a step is kept to: elements, their materials, and what rendered elements name in their own ID mattes. What they bring is asked for once.
const brought = new Map(),
  lookedInto = new Set();
function broughtBy(e) {
  const key = `${e.id}/${e.kind === 'Rendered' ? `${state.frame}/${e.frames?.frames?.[0]?.media}/${e.frames?.frames?.length}` : `${e.media}/${state.revision}`}`;
  if (!brought.has(key)) {
    brought.set(key, null);
    get(api(e.kind === 'Rendered' ? `elements/${e.id}/ids?frame=${state.frame}` : `elements/${e.id}/materials`))
      .then((r) => {
        brought.set(key, r);
        tell('chosen');
      })
      .catch((f) => {
        brought.set(key, { notes: [f.message] });
        tell('chosen');
      });
  }
  return brought.get(key);
}
function objectsBox(s) {
  const elements = state.document.elements.filter((e) => !e.off),
    of = (key) => s[key] || [];
  const chosenIn = (key, id, label) =>
    tick(label, of(key).includes(id), (v) =>
      edit(`${v ? 'kept to' : 'not kept to'} ${label}`, (x) => {
        x[key] = v ? [...(x[key] || []), id] : x[key].filter((q) => q !== id);
      }),
    );
  const materials = new Set(of('materials')),
    own = [];
  if (lookedInto.has(s.id)) {
    for (const e of elements) {
      const r = broughtBy(e);
      if (Array.isArray(r)) r.forEach((m) => materials.add(m.name));
      if (e.kind !== 'Rendered') continue;
      const same = (q, n) => q.element === e.id && q.layer === n.layer && q.name === n.name,
        names = [...(r?.names || [])];
      for (const q of of('renderedIds')) if (q.element === e.id && !names.some((n) => same(q, n))) names.push({ ...q, share: 0 });
      own.push(
        h('p', { class: 'quiet' }, `${e.name || e.id}, by its own ID mattes`),
        ...(r ? (r.notes || []).map(quiet) : [quiet('Reading them.')]),
      );
      const keep = (n, on) =>
        edit(`${on ? 'kept to' : 'not kept to'} ${n.name}`, (x) => {
          x.renderedIds = (x.renderedIds || []).filter((q) => !same(q, n));
          if (on) x.renderedIds.push({ element: e.id, layer: n.layer, name: n.name });
        });
      const share = (n) => (n.share ? `${(100 * n.share).toFixed(n.share < 0.01 ? 2 : 1)} %` : 'not seen here');
      for (const layer of new Set(names.map((n) => n.layer))) {
        own.push(
          h('p', { class: 'num quiet aside' }, layer, h('span', {}, 'of the picture')),
          h(
            'div',
            { class: 'long' },
            ...names
              .filter((n) => n.layer === layer)
              .map((n) =>
                tick(
                  n.name,
                  of('renderedIds').some((q) => same(q, n)),
                  (on) => keep(n, on),
                  share(n),
                ),
              ),
          ),
        );
      }
    }
  }
  const box = fold(
    'Kept to objects',
    `objects-${s.id}`,
    quiet('None ticked: everything.'),
    ...elements.map((e) => chosenIn('objects', e.id, e.name || e.id)),
    ...own,
    ...(materials.size ? [h('p', { class: 'quiet' }, 'Materials'), ...[...materials].map((m) => chosenIn('materials', m, m))] : []),
    ...(kindOf(s).kind === 'Defocus'
      ? [h('p', { class: 'quiet' }, 'Brings it already: left as it is'), ...elements.map((e) => chosenIn('except', e.id, e.name || e.id))]
      : []),
  );
  // Not by its toggle, which a box drawn open tells too; at the press it is still as it was.
  box.querySelector('summary').addEventListener('click', () => {
    if (!box.open) {
      lookedInto.add(s.id);
      setTimeout(() => tell('chosen'));
    }
  });
  return box;
}

// What a step does to this frame, measured anew a moment after it changes; what is no longer looked at is not measured on.
let effect = null,
  effectOf = '',
  effectAsked = new AbortController();
function effectBox(s) {
  const key = `${s.id}/${state.frame}/${state.revision}`,
    box = h('p', { id: 'step-effect', class: 'num', role: 'status' });
  if (effectOf !== key) {
    [effectOf, effect] = [key, null];
    effectAsked.abort();
    const { signal } = (effectAsked = new AbortController());
    setTimeout(() => {
      if (effectOf === key && !state.playing)
        get(api(`frames/${state.frame}/finish/${s.id}`), signal)
          .catch((e) => ({ fault: e.message }))
          .then((r) => {
            if (effectOf !== key) return;
            effect = r;
            document.getElementById('step-effect')?.replaceWith(effectBox(s));
            tell('overlay');
          });
    }, 400);
  }
  box.append(
    ...(!effect
      ? ['Measuring what it does here.']
      : effect.fault
        ? [effect.fault]
        : [
            effect.share > 0
              ? `Changes ${(100 * effect.share).toFixed(effect.share < 0.01 ? 2 : 1)} % of the picture, by ${effect.mean.toFixed(4)} on average, ${effect.most.toFixed(4)} at most at ${Math.round(effect.x)}, ${Math.round(effect.y)}.`
              : 'Changes nothing at this frame.',
            ...(effect.says ? [h('br'), effect.says] : []),
          ]),
  );
  return box;
}

function stepBox(s) {
  const look = (way, label) =>
    h(
      'button',
      {
        type: 'button',
        'aria-pressed': state.compare === `${way}:${s.id}` ? 'true' : 'false',
        onclick: () => {
          state.compare = state.compare === `${way}:${s.id}` ? 'after' : `${way}:${s.id}`;
          tell('compare');
        },
      },
      label,
    );
  return [
    h('h3', {}, kindOf(s).title),
    effectBox(s),
    ...fieldsOf(s),
    number(
      'Strength',
      s.strength ?? 1,
      '',
      (v) =>
        edit('strength', (x) => {
          x.strength = v;
        }),
      { min: 0, max: 1 },
    ),
    choice('Kept to', s.matte ?? '', [['', 'everything'], ...matteChoices()], (v) =>
      edit('matte', (x) => {
        x.matte = v || null;
      }),
    ),
    s.matte
      ? tick('Outside of it', s.outsideMatte, (v) =>
          edit('outside', (x) => {
            x.outsideMatte = v;
          }),
        )
      : null,
    kindOf(s).byObjects ? objectsBox(s) : null,
    h(
      'div',
      { class: 'actions' },
      button(s.off ? 'Switch it on' : 'Switch it off', () =>
        edit(s.off ? 'on' : 'off', (x) => {
          x.off = !x.off;
        }),
      ),
      look('without', 'Without it'),
      look('alone', 'It alone'),
      button('Take it away', () => {
        state.chosen.finish = null;
        return save(`${kindOf(s).title} taken away`, (x) => {
          x.finish.steps = x.finish.steps.filter((q) => q.id !== s.id);
          return x;
        });
      }),
    ),
  ];
}

// Of the plate and of the element: how often each level occurs, and where across the element.
let scopes = null,
  scopesOf = '',
  scopesAsked = new AbortController(),
  scopesWanted = false; // a frame is rendered for them: only where somebody looks
function scopesBox() {
  const key = `${state.revision}/${state.frame}`;
  if (scopesOf !== key && scopesWanted && !state.playing) {
    scopesOf = key;
    scopesAsked.abort();
    scopesAsked = new AbortController();
    get(api(`frames/${state.frame}/scopes`), scopesAsked.signal)
      .then((r) => {
        if (scopesOf === key) {
          scopes = r;
          tell('scopes');
        }
      })
      .catch(() => {
        if (scopesOf === key) scopes = null;
      });
  }
  const box = h('div', { id: 'scopes' });
  if (!scopes) {
    box.append(quiet('Measuring.'));
    return box;
  }
  const { bins, columns } = scopes,
    line = (data, dash) => {
      const sums = Array.from({ length: bins }, (_, b) => data[3 * b] + data[3 * b + 1] + data[3 * b + 2]),
        top = Math.max(1, ...sums);
      return mark`<path d="M${sums.map((v, b) => `${((b / bins) * 296).toFixed(1)} ${(72 - 66 * Math.sqrt(v / top)).toFixed(1)}`).join('L')}" fill="none" stroke="var(--ink)" stroke-width="1.2" stroke-dasharray="${dash ? '3 2' : null}"/>`;
    };
  const dots = [];
  for (let c = 0; c < columns; c++)
    for (let b = 0; b < bins; b++) {
      const p = scopes.wavePlate[c * bins + b],
        e = scopes.wave[c * bins + b];
      if (e || p > 1)
        dots.push(
          mark`<rect x="${((c / columns) * 296).toFixed(1)}" y="${(76 - (b / bins) * 74).toFixed(1)}" width="1.6" height="1" fill="${e ? 'var(--verdigris, #0E4F4A)' : 'var(--quiet)'}" fill-opacity="${e ? 0.9 : 0.35}"/>`,
        );
    }
  const base = (y) => mark`<path d="M0 ${y}h296" stroke="var(--ink)" stroke-width=".6"/>`;
  box.append(
    quiet('How often each level: element drawn through, plate dashed'),
    mark`<svg viewBox="0 0 296 76" role="img" aria-label="Histogram of element and plate">${[line(scopes.plate, true), scopes.any ? line(scopes.element, false) : null, base(74)]}</svg>`,
    quiet('Brightness across the element: it over the plate'),
    mark`<svg viewBox="0 0 296 78" role="img" aria-label="Waveform of element and plate">${[...dots, base(77)]}</svg>`,
  );
  return box;
}
on('scopes', () => document.getElementById('scopes')?.replaceWith(scopesBox()));

// What is measured there, asked for once a revision.
let plate = null,
  plateOf = 0;
function plateBox() {
  const box = h('div', { id: 'plate-measures' });
  if (plateOf !== state.revision)
    return h(
      'div',
      { id: 'plate-measures' },
      h(
        'div',
        { class: 'actions' },
        button('Measure the plate here', async () => {
          try {
            plate = await get(api('finish/measures'));
            plateOf = state.revision;
            document.getElementById('plate-measures')?.replaceWith(plateBox());
          } catch (e) {
            tell('told', e);
          }
        }),
      ),
    );
  const rgb = (v) => v.map((x) => x.toFixed(4)).join(' ');
  box.append(
    h(
      'p',
      { class: 'num' },
      `black ${rgb(plate.black)}`,
      h('br'),
      `white ${rgb(plate.white)}`,
      h('br'),
      plate.edgePx ? `edges ${plate.edgePx.toFixed(2)} px, of ${plate.edges}` : 'no straight edge stands alone',
      h('br'),
      plate.grain.length
        ? `grain at ${plate.grain.length} levels, neighbours alike by ${plate.correlation.toFixed(2)}`
        : 'nowhere flat enough for grain',
    ),
    ...plate.grain.map((g) => h('p', { class: 'num quiet' }, `at ${g.level[1].toFixed(3)}: ${rgb(g.deviation)}`)),
  );
  return box;
}

let boxed = null; // means of a box
const corner = (then) =>
  setHand((a) =>
    setHand((b) =>
      then({
        x: Math.max(0, Math.round(Math.min(a.x, b.x))),
        y: Math.max(0, Math.round(Math.min(a.y, b.y))),
        width: Math.round(Math.abs(a.x - b.x)),
        height: Math.round(Math.abs(a.y - b.y)),
      }),
    ),
  );

export function finishSection() {
  const d = state.document,
    f = d.finish || { steps: [] },
    all = steps(),
    s = chosen();
  if (!d.elements.length)
    return [
      quiet('No element stands in the shot yet: place one at step 6. What closes the match stands here, in the order of light and lens.'),
    ];
  const add = h('select', { class: 'blank', 'aria-label': 'Step to add' }, ...kinds.map((k) => h('option', { value: k.kind }, k.title)));
  const r = f.region,
    levels = fold('Levels of element and plate', 'finish-scopes', scopesBox());
  levels.querySelector('summary').addEventListener('click', () => {
    scopesWanted = !levels.open;
    setTimeout(() => tell('scopes'));
  });
  return [
    h(
      'div',
      { class: 'actions' },
      button('Bring to the plate', bringAll, { next: true }),
      h('span', { class: 'quiet' }, 'black level, edge width, grain: about 20 s'),
    ),
    h(
      'div',
      { class: 'actions' },
      button('Measure over the range', () =>
        post(api('finish/range'), {})
          .then(() => tell('jobs-now'))
          .catch((e) => tell('told', e)),
      ),
      h('span', { class: 'quiet' }, 'nine frames, a minute or two; the readings below are else of one frame'),
    ),
    choice(
      'Look at',
      ['bare', 'element', 'edges', 'exposure', 'lifted'].includes(state.compare) ? state.compare : 'after',
      [
        ['after', 'the comp'],
        ['bare', 'it without these steps'],
        ['element', 'the element alone'],
        ['edges', 'edges only'],
        ['exposure', 'exposure in false colour'],
        ['lifted', 'blacks raised, colour × 3'],
      ],
      (v) => {
        state.compare = v;
        tell('compare');
      },
    ),
    number(
      'Shutter',
      d.shutterDegrees ?? 0,
      '°',
      (v) =>
        save('Shutter', (x) => {
          x.shutterDegrees = v;
          return x;
        }),
      { min: 0, max: 360 },
    ),
    heading('Steps, as light meets them'),
    all.length
      ? rows(
          all.map((x) => ({
            id: x.id,
            name: kindOf(x).title,
            value: `${x.off ? 'off' : (x.strength ?? 1) < 1 ? `${Math.round(100 * x.strength)} %` : ''}${kindOf(x).afterMerge ? ' after the merge' : ''}`,
          })),
          state.chosen.finish,
          (id) => {
            state.chosen.finish = id;
            tell('chosen');
          },
        )
      : quiet('None yet.'),
    h(
      'div',
      { class: 'actions' },
      add,
      button('Add this step', () => {
        const kind = kinds.find((k) => k.kind === add.value);
        return save(`${kind.title} added`, (x) => {
          x.finish ||= { steps: [] };
          const id = freeId(x.finish.steps, kind.kind);
          x.finish.steps.push(begun(kind, id));
          state.chosen.finish = id;
          return x;
        });
      }),
    ),
    ...(s ? stepBox(s) : []),
    fold(
      'Where the plate is measured',
      'finish-region',
      plateBox(),
      quiet(
        r
          ? `${r.width} × ${r.height} px at ${r.x}, ${r.y}, frame ${r.frame ?? 'in the middle'}.`
          : 'About the element, in the middle of the range.',
      ),
      h(
        'div',
        { class: 'actions' },
        button('Draw it by two corners', () =>
          corner((b) =>
            save('Region drawn', (x) => {
              x.finish.region = { ...b, frame: state.frame };
              return x;
            }),
          ),
        ),
        r
          ? button('About the element', () =>
              save('Region about the element', (x) => {
                x.finish.region = null;
                return x;
              }),
            )
          : null,
      ),
    ),
    fold(
      'Values in a box',
      'finish-box',
      boxed
        ? h(
            'p',
            { class: 'num' },
            `plate ${boxed.plate.map((v) => v.toFixed(4)).join(' ')}`,
            h('br'),
            `comp ${boxed.comp.map((v) => v.toFixed(4)).join(' ')}`,
          )
        : quiet('Means of linear light over a box, plate and comp.'),
      h(
        'div',
        { class: 'actions' },
        button('Draw a box', () =>
          corner(async (b) => {
            try {
              boxed = {
                ...b,
                frame: state.frame,
                ...(await get(api(`frames/${state.frame}/box?x=${b.x}&y=${b.y}&width=${b.width}&height=${b.height}`))),
              };
              tell('chosen');
            } catch (e) {
              tell('told', e);
            }
          }),
        ),
      ),
    ),
    levels,
  ].filter(Boolean);
}

// On the picture: the region that is measured, and notes at their places.
export function drawReview({ at, both, label }) {
  const parts = [],
    r = state.document.finish?.region,
    frame = (b, dash) =>
      both(`M${at(b.x, b.y)}L${at(b.x + b.width, b.y)}L${at(b.x + b.width, b.y + b.height)}L${at(b.x, b.y + b.height)}Z`, 1, dash);
  if (state.step === 7 && r && (r.frame ?? state.frame) === state.frame) parts.push(frame(r, '6 4'));
  if (state.step === 7 && boxed?.frame === state.frame) parts.push(frame(boxed, ''));
  if (state.step === 7 && effect?.share > 0 && effectOf === `${state.chosen.finish}/${state.frame}/${state.revision}`) {
    const [x, y] = at(effect.x, effect.y).split(' ').map(Number);
    parts.push(
      both(`M${x - 9} ${y}h6m6 0h6M${x} ${y - 9}v6m0 6v6`, 1.2, ''),
      label(x + 12, y - 6, `changes most, ${effect.most.toFixed(3)}`),
    );
  }
  (state.document.notes || []).forEach((n, i) => {
    if (n.frame !== state.frame || (n.resolved && n.id !== state.chosen.note)) return;
    const [x, y] = at(n.x, n.y).split(' ').map(Number);
    parts.push(
      both(`M${x} ${y}l14 -14h${10 + 6.6 * Math.min(40, n.text.length)}`, n.id === state.chosen.note ? 2 : 1.2, ''),
      label(x + 16, y - 18, `${i + 1} ${n.text.slice(0, 40).replace(/[<&]/g, ' ')}`),
    );
  });
  return parts;
}

// For the rail: the framing's keys as a curve.
let framing = null,
  framingOf = '';
const parts = { x: ['across', 'px'], y: ['down', 'px'], turnDegrees: ['turned', '°'], scale: ['enlarged', '×'] };
export function framingCurve() {
  const s = state.step === 7 ? chosen() : null;
  if (!s || kindOf(s).kind !== 'Reframe' || !s.reframe.keys.length) return null;
  const key = `${s.id}/${state.revision}`,
    part = Object.keys(parts).find((p) => s.reframe.keys.some((k) => k[p] !== null && k[p] !== undefined)) ?? 'x';
  if (framingOf !== key) {
    framingOf = key;
    framing = null;
    inLine(() => get(api(`finish/${s.id}/framing`)))
      .then((r) => {
        if (framingOf === key) {
          framing = r;
          tell('chosen');
        }
      })
      .catch(() => {});
  }
  if (!framing) return null;
  return {
    name: `Framing, ${parts[part][0]}, ${parts[part][1]}`,
    curves: [{ axis: '', points: framing.map((f) => ({ frame: f.frame, value: f[part] })) }],
    keys: s.reframe.keys.filter((k) => k[part] !== null && k[part] !== undefined).map((k) => ({ frame: k.frame, value: k[part] })),
    change: (frame, value) =>
      edit(`key at ${frame}`, (x) => {
        x.reframe.keys.find((k) => k.frame === frame)[part] = value;
      }),
  };
}
