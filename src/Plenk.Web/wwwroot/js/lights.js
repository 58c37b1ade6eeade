// The light's sheet: lights of every kind, placed by hand and by numbers, keyed over frames; the sun found three ways; panoramas.
import { get, post, upload } from './api.js';
import { button, choice, fold, h, heading, notes, number, quiet, rows, show as text3, text, tick, told, triple } from './build.js';
import { byFrame, has, setKeyed, straightAt } from './keys.js';
import { matteChoices, matteSection } from './mattes.js';
import { pick } from './picture.js';
import { newId } from './pieces.js';
import { renderedSection } from './rendered.js';
import { changed, inLine, on, save, setHand, state, tell } from './state.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
const deg = 180 / Math.PI;
const kinds = { Sun: 'sun', Sky: 'sky', Fill: 'fill', Point: 'point', Spot: 'spot', Rectangle: 'rectangle', Panorama: 'panorama' };
const unit = {
  Sun: 'Irradiance',
  Sky: 'Radiance',
  Fill: 'Radiance',
  Rectangle: 'Radiance',
  Panorama: 'Times its picture',
  Point: 'Intensity',
  Spot: 'Intensity',
};
const defaults = {
  direction: [0.5, 0.7, 0.5],
  color: [1, 1, 1],
  angularDiameterDegrees: 0.53,
  inPlate: true,
  lightsSet: true,
  lightsElements: true,
  position: [0, 2, 0],
  innerDegrees: 20,
  outerDegrees: 30,
  width: 1,
  height: 1,
  sky: 'Uniform',
  horizonColor: [1, 1, 1],
  turbidity: 2.5,
  headingDegrees: 0,
  keys: [],
};
const place = (v) => (v[0] === undefined ? [0, 0, 0] : v);

export const aim = (azimuth, elevation) => [
  Math.cos(elevation / deg) * Math.sin(azimuth / deg),
  Math.sin(elevation / deg),
  -Math.cos(elevation / deg) * Math.cos(azimuth / deg),
];
export const angles = (d) => ({
  elevation: Math.atan2(d[1], Math.hypot(d[0], d[2])) * deg,
  azimuth: (Math.atan2(d[0], -d[2]) * deg + 360) % 360,
});
const apart = (a, b) => {
  const l = (v) => Math.hypot(...v) || 1;
  return Math.acos(Math.max(-1, Math.min(1, a.reduce((s, v, i) => s + v * b[i], 0) / (l(a) * l(b))))) * deg;
};

// A light as it is at this frame: straight between its keys.
export function lightAt(l, frame = state.frame) {
  const out = { ...l };
  for (const k of ['strength', 'color', 'direction', 'position']) out[k] = straightAt(l.keys, k, frame) ?? l[k];
  return out;
}

const create = (kind, extra = {}) =>
  save(`New ${kinds[kind]}`, (d) => {
    const id = newId(d.lights, kinds[kind]);
    d.lights.push({
      ...structuredClone(defaults),
      id,
      name: id.replace('_', ' '),
      kind,
      strength: kind === 'Sun' ? 3 : ['Point', 'Spot'].includes(kind) ? 5 : kind === 'Rectangle' ? 3 : 0.3,
      inPlate: !['Point', 'Spot', 'Rectangle'].includes(kind),
      ...extra,
    });
    state.chosen.light = id;
    return d;
  });

// A lamp hung off a surface: click it, and draw out along its normal.
function hang(kind) {
  setHand(async (p) => {
    try {
      // In a rendered picture its own data says where the surface is.
      const hit =
        ['rendered', 'relit'].includes(state.compare) && state.chosen.rendered
          ? await get(api(`rendered/${encodeURIComponent(state.chosen.rendered)}/pixel?x=${p.x}&y=${p.y}`))
          : await pick(p.x, p.y);
      if (!hit.point) {
        tell('told', { message: 'Nothing of the set is there.', mend: 'Click on a piece.' });
        return;
      }
      // Found depth knows a place and no surface: the lamp hangs above it.
      const n = hit.normal || [0, 1, 0],
        at = hit.point.map((v, i) => v + 0.5 * n[i]);
      await create(kind, { position: at, direction: n, keys: [] });
      tell(
        'told',
        h(
          'p',
          { class: 'told fine', role: 'status' },
          'It hangs half a metre off the surface and shines at it. Pull its mark in the picture to draw it out along the normal, or type its place.',
        ),
      );
    } catch (e) {
      tell('told', e);
    }
  });
}

// Two clicks across a real shadow's edge: how wide it is tells how large the sun looks.
function shadowEdge() {
  setHand((from) => {
    setHand(async (to) => {
      try {
        const r = await post(api(`frames/${state.frame}/shadow-edge`), { document: state.document, from, to });
        await save('Sun’s size off a shadow’s edge', (d) => {
          d.lights.find((l) => l.kind === 'Sun' && !l.off).angularDiameterDegrees = Math.min(90, r.angularDegrees);
          return d;
        });
        tell(
          'told',
          h(
            'p',
            { class: 'told fine', role: 'status' },
            `The edge is ${(1000 * r.widthMetres).toFixed(0)} mm wide, ${r.distanceMetres.toFixed(2)} m from what casts it: ${r.angularDegrees.toFixed(2)}°.`,
          ),
        );
      } catch (e) {
        tell('told', e);
      }
    });
    tell('told', h('p', { class: 'told fine', role: 'status' }, 'Now click well inside the shadow, straight across its edge.'));
  });
  tell('told', h('p', { class: 'told fine', role: 'status' }, 'Click in the light, beside a shadow’s edge on one surface.'));
}

// A grey and a chrome ball on the set, to be held against filmed ones.
const standBalls = () =>
  setHand(async (p) => {
    try {
      const hit = await pick(p.x, p.y);
      if (!hit.onSet) {
        tell('told', { message: 'Nothing of the set is there.', mend: 'Click on a piece.' });
        return;
      }
      await changed('balls', { spot: hit.onSet, radiusMetres: 0.1 });
      tell(
        'told',
        h(
          'p',
          { class: 'told fine', role: 'status' },
          'A grey ball of albedo 0.18 and a chrome ball of 20 cm stand there; they are elements of step 6.',
        ),
      );
    } catch (e) {
      tell('told', e);
    }
  });

// Three clicks: foot, top, and the tip of the shadow.
function fromShadow() {
  const clicks = [];
  const words = ['the foot of what casts it', 'its top, above the foot', 'the tip of its shadow'];
  const next = async (p) => {
    clicks.push({ x: p.x, y: p.y });
    if (clicks.length < 3) {
      setHand(next);
      tell('told', h('p', { class: 'told fine', role: 'status' }, `Now click ${words[clicks.length]}.`));
      return;
    }
    try {
      const { direction } = await post(api(`frames/${state.frame}/sun-from-shadow`), { foot: clicks[0], top: clicks[1], tip: clicks[2] });
      await save('Sun from a shadow', (d) => {
        d.sun = { ...(d.sun || {}), fromShadow: direction };
        return d;
      });
    } catch (e) {
      tell('told', e);
    }
  };
  setHand(next);
  tell('told', h('p', { class: 'told fine', role: 'status' }, `Click ${words[0]}.`));
}

const turnTo = (what, direction) =>
  save(what, (d) => {
    const s = d.lights.find((l) => l.kind === 'Sun' && !l.off);
    if (s) {
      s.direction = direction;
      if (s.keys?.length) for (const k of s.keys) k.direction = null;
    }
    return d;
  });

function findSun(d) {
  const s = d.sun || {},
    sun = d.lights.find((l) => l.kind === 'Sun' && !l.off),
    keep = (what, act) =>
      save(what, (x) => {
        x.sun = { moment: '', latitudeDegrees: 0, longitudeDegrees: 0, northDegrees: 0, ...(x.sun || {}) };
        act(x.sun);
        return x;
      });
  const found = [
    ['a shadow', s.fromShadow],
    ['date and place', s.fromDate],
    ['fit', s.fromFit],
  ].filter(([, v]) => v);
  const list = found.map(([name, v]) => {
    const a = angles(v);
    return h(
      'li',
      {},
      `By ${name}: ${a.azimuth.toFixed(1)}°, ${a.elevation.toFixed(1)}° up${sun ? `, ${apart(v, sun.direction).toFixed(1)}° from the sun` : ''} `,
      sun ? button(`Take ${name}`, () => turnTo(`Sun by ${name}`, v)) : null,
    );
  });
  for (let i = 0; i < found.length; i++)
    for (let k = i + 1; k < found.length; k++)
      list.push(h('li', { class: 'quiet' }, `${found[i][0]} and ${found[k][0]} are ${apart(found[i][1], found[k][1]).toFixed(1)}° apart`));
  return fold(
    'Find the sun',
    'find-sun',
    list.length
      ? h('ul', { class: 'plain', id: 'found-suns' }, ...list)
      : quiet('From a cast shadow, from date and place, and by fitting light and shadow on the set.'),
    h(
      'div',
      { class: 'actions' },
      button('From a shadow', fromShadow, { disabled: !d.camera || !d.pieces.length }),
      button(
        `By fit at ${state.frame}`,
        async () => {
          tell('told', h('p', { class: 'quiet', role: 'status' }, 'Asking every direction what it explains.'));
          try {
            const r = await post(api(`frames/${state.frame}/sun-by-fit`), {});
            await keep('Sun by fit', (x) => {
              x.fromFit = r.direction;
            });
            tell(
              'told',
              h(
                'p',
                { class: 'told fine', role: 'status' },
                `It explains ${(100 * r.explained).toFixed(0)} % of the brightness on the pieces; the next best elsewhere ${(100 * r.rival).toFixed(0)} %.`,
              ),
            );
          } catch (e) {
            tell('told', e);
          }
        },
        { disabled: !d.camera || !d.pieces.length },
      ),
    ),
    text(
      'Date and time',
      s.moment || '',
      (v) =>
        keep('Moment typed', (x) => {
          x.moment = v;
        }),
      { placeholder: '2026-06-21T10:30:00+01:00' },
    ),
    number(
      'Latitude, north',
      s.latitudeDegrees ?? 0,
      '°',
      (v) =>
        keep('Latitude', (x) => {
          x.latitudeDegrees = v;
        }),
      { min: -90, max: 90, digits: 5 },
    ),
    number(
      'Longitude, east',
      s.longitudeDegrees ?? 0,
      '°',
      (v) =>
        keep('Longitude', (x) => {
          x.longitudeDegrees = v;
        }),
      { min: -180, max: 180, digits: 5 },
    ),
    number(
      'North lies at',
      s.northDegrees ?? 0,
      '°',
      (v) =>
        keep('North', (x) => {
          x.northDegrees = v;
        }),
      { min: -360, max: 360 },
    ),
    h(
      'div',
      { class: 'actions' },
      button('By date and place', async () => {
        try {
          const r = await post(api('sun-from-date'), {
            moment: '',
            latitudeDegrees: 0,
            longitudeDegrees: 0,
            northDegrees: 0,
            ...(state.document.sun || {}),
          });
          await keep('Sun by date', (x) => {
            x.fromDate = r.direction;
          });
        } catch (e) {
          tell('told', e);
        }
      }),
    ),
    sun ? quiet('Or pull the tip of any cast shadow in the picture: press on the shadow, let go where it should fall.') : null,
    sun
      ? h(
          'div',
          { class: 'actions' },
          h(
            'button',
            {
              type: 'button',
              'aria-pressed': state.pullShadow ? 'true' : 'false',
              onclick: () => {
                state.pullShadow = !state.pullShadow;
                tell('chosen');
              },
            },
            'Pull shadows',
          ),
        )
      : null,
  );
}

export async function pulledShadow(from, to) {
  try {
    const document = state.document,
      r = await post(api(`frames/${state.frame}/pull-shadow`), { document, from, to });
    await save('Pulled a shadow', (d) => {
      d.lights.find((l) => l.id === r.light).direction = r.direction;
      return d;
    });
  } catch (e) {
    tell('told', e);
  }
}

function panoramas(d) {
  const file = h('input', {
      type: 'file',
      accept: '.exr,.hdr,.png,.jpg,.tif',
      multiple: true,
      'aria-label': 'Panorama or exposures of one',
    }),
    seconds = h('input', { type: 'text', class: 'blank wide', placeholder: '1/1000, 1/250, 1/60', 'aria-label': 'Exposure times' });
  seconds.addEventListener('keydown', (e) => e.stopPropagation());
  const asked = async (path, body) => {
    try {
      await changed(path, { frame: state.frame, ...body });
      tell('told', null);
    } catch (e) {
      tell('told', e);
    }
  };
  return fold(
    'Panoramas',
    'panoramas',
    quiet('Lat-long, +Y up. Several exposures are merged; their times are found where they are not typed.'),
    h(
      'div',
      { class: 'actions' },
      file,
      seconds,
      button('Bring it in', async () => {
        const form = new FormData();
        for (const f of file.files) form.append('files', f, f.name);
        form.append('seconds', seconds.value);
        try {
          const r = await inLine(() => upload(api('panorama'), form));
          tell('told', r.notes.length ? notes(r.notes) : null);
        } catch (e) {
          tell('told', e);
        }
      }),
    ),
    h(
      'div',
      { class: 'actions' },
      button(
        'From a mirror ball in the frame',
        () => {
          setHand((m) => {
            setHand((r) => asked('mirror-ball', { middle: { x: m.x, y: m.y }, rim: { x: r.x, y: r.y } }));
            tell('told', h('p', { class: 'told fine', role: 'status' }, 'Now click its rim.'));
          });
          tell('told', h('p', { class: 'told fine', role: 'status' }, 'Click the middle of the ball.'));
        },
        { disabled: !d.camera },
      ),
      button(
        'From the projected set, around a spot I click',
        () =>
          setHand(async (p) => {
            const hit = await pick(p.x, p.y);
            if (!hit.point) {
              tell('told', { message: 'Nothing of the set is there.', mend: 'Click on a piece.' });
              return;
            }
            await asked('panorama-from-set', { spot: hit.point.map((v, i) => v + 1.2 * (hit.normal?.[i] ?? 0)) });
          }),
        { disabled: !d.projections.length },
      ),
    ),
  );
}

const match = { albedo: 0.18 };
function ofPanorama(l, e) {
  const img = h('img', {
    class: 'small-picture',
    src: `${api(`lights/${encodeURIComponent(l.id)}/picture`)}?v=${l.media.slice(0, 8)}`,
    alt: `${l.name}, lat-long; click a lamp to lift it out`,
  });
  img.addEventListener('click', async (ev) => {
    const r = img.getBoundingClientRect();
    try {
      await changed(`lights/${encodeURIComponent(l.id)}/lift`, { u: (ev.clientX - r.left) / r.width, v: (ev.clientY - r.top) / r.height });
      tell('told', null);
    } catch (err) {
      tell('told', err);
    }
  });
  const sun = state.document.lights.find((x) => x.kind === 'Sun' && !x.off && !/^lamp_/.test(x.id)),
    own = state.document.lights.find((x) => /^lamp_/.test(x.id) && x.name.endsWith(l.name));
  return [
    img,
    quiet('Click a lamp or the sun in it: it becomes a light of its own and is painted out.'),
    number(
      'Turned',
      l.headingDegrees ?? 0,
      '°',
      (v) =>
        e('turned', (x) => {
          x.headingDegrees = v;
        }),
      { digits: 2 },
    ),
    tick('it shows the place itself: mirrors see it, it lights nothing', l.showsPlace === true, (v) =>
      e(v ? 'shows the place' : 'lights', (x) => {
        x.showsPlace = v;
      }),
    ),
    l.showsPlace
      ? triple('Shot at', place(l.position), 'm', (v) =>
          e('shot at', (x) => {
            x.position = v;
          }),
        )
      : null,
    sun && own
      ? h(
          'div',
          { class: 'actions' },
          button('Turn it until its sun stands where ours does', () =>
            save(`${l.name}: its sun on ours`, (d) => {
              const by = angles(sun.direction).azimuth - angles(own.direction).azimuth,
                p = d.lights.find((x) => x.id === l.id),
                o = d.lights.find((x) => x.id === own.id);
              p.headingDegrees = (((p.headingDegrees ?? 0) + by + 540) % 360) - 180;
              const a = angles(o.direction);
              o.direction = aim(a.azimuth + by, a.elevation);
              return d;
            }),
          ),
        )
      : null,
    l.showsPlace
      ? null
      : number(
          'A surface of albedo',
          match.albedo,
          '',
          (v) => {
            match.albedo = v;
          },
          { min: 0.01, max: 1 },
        ),
    h(
      'div',
      { class: 'actions' },
      button('Scale it until that surface reads as the plate', () =>
        setHand(async (p) => {
          try {
            const r = await post(api(`frames/${state.frame}/panorama-scale`), {
              document: state.document,
              light: l.id,
              x: p.x,
              y: p.y,
              albedo: match.albedo,
            });
            await e('scaled to the plate', (x) => {
              x.strength *= r.factor;
            });
          } catch (err) {
            tell('told', err);
          }
        }),
      ),
    ),
  ];
}

function keyed(l, e) {
  const keys = l.keys || [],
    here = keys.find((k) => k.frame === state.frame),
    now = lightAt(l);
  return fold(
    'Keys over frames',
    'keys',
    keys.length
      ? quiet(
          `Keyed at ${keys
            .map((k) => k.frame)
            .sort((a, b) => a - b)
            .join(', ')}. Changes at a frame with keys are keys of that frame; the rail shows its strength and takes its points.`,
        )
      : quiet('The light is the same in every frame. Key it, and it changes between keys.'),
    h(
      'div',
      { class: 'actions' },
      button(`Key it at ${state.frame}`, () =>
        e(`keyed at ${state.frame}`, (x) => {
          x.keys = [
            ...(x.keys || []).filter((k) => k.frame !== state.frame),
            { frame: state.frame, strength: now.strength, color: now.color, direction: now.direction, position: now.position },
          ].sort(byFrame);
        }),
      ),
      here
        ? button('Take this key away', () =>
            e(`key at ${state.frame} taken away`, (x) => {
              x.keys = x.keys.filter((k) => k.frame !== state.frame);
            }),
          )
        : null,
      keys.length
        ? button('Take all keys away', () =>
            e('keys taken away', (x) => {
              x.keys = [];
            }),
          )
        : null,
    ),
  );
}

export function lightSection() {
  const d = state.document,
    l = d.lights.find((x) => x.id === state.chosen.light) || d.lights[0],
    now = l && lightAt(l);
  // What is changed at a frame with keys becomes a key of it.
  const e = (what, change) =>
    save(`${l.name}: ${what}`, (x) => {
      change(x.lights.find((q) => q.id === l.id));
      return x;
    });
  const set = (what, key, value) => e(what, (x) => setKeyed(x, key, value));
  const parts = [
    heading('Lights'),
    d.lights.length
      ? rows(
          d.lights.map((x) => ({
            id: x.id,
            name: x.name,
            value: x.off ? 'off' : x.alone ? 'alone' : `${text3(lightAt(x).strength, 3)}${x.inPlate === false ? ', new' : ''}`,
          })),
          l?.id,
          (id) => {
            state.chosen.light = id ?? l.id;
            tell('chosen');
          },
          { long: true },
        )
      : quiet('No light yet. Add the sun and the sky that lit the plate.'),
    h(
      'div',
      { class: 'actions' },
      ...['Sun', 'Sky', 'Fill'].map((k) => button(`Add a ${kinds[k]}`, () => create(k))),
      ...['Point', 'Spot', 'Rectangle'].map((k) =>
        button(`Hang a ${kinds[k]}`, () => hang(k), {
          disabled: !d.rendered?.length && !(d.camera && (d.pieces.length || d.depth?.frames.length)),
          title: 'On a piece, on found depth, or in a rendered picture that brings its positions',
        }),
      ),
      button('Stand grey and chrome balls', standBalls, { disabled: !d.camera || !d.pieces.length }),
    ),
    findSun(d),
    fitStrengths(d),
    panoramas(d),
    renderedSection(),
    d.plate ? matteSection() : null,
  ];
  if (!l) return parts.filter(Boolean);
  const a = angles(now.direction),
    within = ['Point', 'Spot', 'Rectangle'].includes(l.kind),
    aimed = l.kind === 'Sun' || l.kind === 'Spot' || l.kind === 'Rectangle';
  parts.push(
    heading(l.name),
    text('Name', l.name, (v) =>
      e('named', (x) => {
        x.name = v || x.name;
      }),
    ),
    number(unit[l.kind], now.strength, '', (v) => set('strength', 'strength', v), { min: 0, digits: 4 }),
    number('In stops', now.strength > 0 ? Math.log2(now.strength) : NaN, 'st', (v) => set('strength', 'strength', 2 ** v), {
      digits: 2,
      min: -40,
      max: 40,
    }),
    tick('colour by temperature', l.kelvin !== null && l.kelvin !== undefined, (v) =>
      e('colour', (x) => {
        x.kelvin = v ? 5500 : null;
      }),
    ),
    l.kelvin
      ? number(
          'Temperature',
          l.kelvin,
          'K',
          (v) =>
            e('temperature', (x) => {
              x.kelvin = v;
            }),
          { min: 1667, max: 25000, digits: 0 },
        )
      : triple('Colour', now.color, '', (v) => set('colour', 'color', v)),
    ...(aimed
      ? [
          number(
            l.kind === 'Sun' ? 'Azimuth, from north' : 'Comes from azimuth',
            a.azimuth,
            '°',
            (v) => set('turned', 'direction', aim(v, a.elevation)),
            { digits: 2 },
          ),
          number(l.kind === 'Sun' ? 'Elevation' : 'and elevation', a.elevation, '°', (v) => set('raised', 'direction', aim(a.azimuth, v)), {
            digits: 2,
            min: -90,
            max: 90,
          }),
        ]
      : []),
    l.kind === 'Sun'
      ? number(
          'Angular size',
          l.angularDiameterDegrees,
          '°',
          (v) =>
            e('sized', (x) => {
              x.angularDiameterDegrees = v;
            }),
          { min: 0, max: 90 },
        )
      : null,
    l.kind === 'Sun'
      ? h(
          'div',
          { class: 'actions' },
          button('Read it off a shadow’s edge', shadowEdge, { disabled: !state.document.camera || !state.document.pieces.length }),
        )
      : null,
    l.kind === 'Sun' && a.elevation <= 0
      ? told({ message: 'The sun is below the floor: it lights nothing that stands on it.', mend: 'Raise its elevation above 0°.' })
      : null,
    within ? triple('Place', place(now.position), 'm', (v) => set('moved', 'position', v)) : null,
    ...(l.kind === 'Spot'
      ? [
          number(
            'Whole within',
            l.innerDegrees,
            '°',
            (v) =>
              e('cone', (x) => {
                x.innerDegrees = v;
              }),
            { min: 0, max: 89 },
          ),
          number(
            'Dark beyond',
            l.outerDegrees,
            '°',
            (v) =>
              e('cone', (x) => {
                x.outerDegrees = v;
              }),
            { min: 0.1, max: 89.9 },
          ),
        ]
      : []),
    ...(l.kind === 'Rectangle'
      ? [
          number(
            'Wide',
            l.width,
            'm',
            (v) =>
              e('sized', (x) => {
                x.width = v;
              }),
            { min: 0.001 },
          ),
          number(
            'High',
            l.height,
            'm',
            (v) =>
              e('sized', (x) => {
                x.height = v;
              }),
            { min: 0.001 },
          ),
        ]
      : []),
    ...(l.kind === 'Sky'
      ? [
          choice(
            'The sky is',
            l.sky ?? 'Uniform',
            [
              ['Uniform', 'the same all over'],
              ['Gradient', 'a gradient'],
              ['Clear', 'clear'],
              ['Overcast', 'overcast'],
            ],
            (v) =>
              e('kind of sky', (x) => {
                x.sky = v;
              }),
          ),
          l.sky === 'Gradient'
            ? triple('At the horizon', l.horizonColor, '', (v) =>
                e('horizon', (x) => {
                  x.horizonColor = v;
                }),
              )
            : null,
          l.sky === 'Clear'
            ? number(
                'Turbidity',
                l.turbidity,
                '',
                (v) =>
                  e('turbidity', (x) => {
                    x.turbidity = v;
                  }),
                { min: 1.7, max: 10 },
              )
            : null,
        ].filter(Boolean)
      : []),
    ...(l.kind === 'Panorama' ? ofPanorama(l, e).filter(Boolean) : []),
    ...(l.showsPlace
      ? []
      : [
          tick('it lit the place when the plate was shot', l.inPlate !== false, (v) =>
            e('in the plate', (x) => {
              x.inPlate = v;
            }),
          ),
          l.kind === 'Fill'
            ? null
            : tick('it lights the set', l.lightsSet !== false, (v) =>
                e('the set', (x) => {
                  x.lightsSet = v;
                }),
              ),
          l.kind === 'Fill'
            ? null
            : tick('it lights elements', l.lightsElements !== false, (v) =>
                e('elements', (x) => {
                  x.lightsElements = v;
                }),
              ),
          l.kind === 'Fill'
            ? null
            : tick('things cast shadows in it', l.castsShadow !== false, (v) =>
                e('shadows', (x) => {
                  x.castsShadow = v;
                }),
              ),
          l.kind === 'Fill' || !(state.document.mattes || []).length
            ? null
            : choice('Kept from the set by', l.shadeMatte ?? '', [['', 'what is built alone'], ...matteChoices()], (v) =>
                e('shade', (x) => {
                  x.shadeMatte = v || null;
                }),
              ),
          keyed(l, e),
        ]),
    h(
      'div',
      { class: 'actions' },
      l.showsPlace
        ? null
        : button(l.alone ? 'With the others' : 'Alone', () =>
            e(l.alone ? 'with the others' : 'alone', (x) => {
              x.alone = !x.alone;
            }),
          ),
      button(l.off ? 'Switch on' : 'Switch off', () =>
        e(l.off ? 'on' : 'off', (x) => {
          x.off = !x.off;
        }),
      ),
      button('Delete', () =>
        save(`Deleted ${l.name}`, (x) => {
          x.lights = x.lights.filter((q) => q.id !== l.id);
          return x;
        }),
      ),
    ),
  );
  return parts.filter(Boolean);
}

// A real shadow to be held against, and room for ours to fall on.
export function shadowSection(element) {
  const d = state.document,
    pair = d.realShadow;
  if (!d.camera || !d.pieces.length) return [];
  const name = () => {
    setHand((lit) => {
      setHand((dark) =>
        save('Real shadow named', (x) => {
          x.realShadow = { frame: state.frame, litX: lit.x, litY: lit.y, darkX: dark.x, darkY: dark.y };
          return x;
        }),
      );
      tell('told', h('p', { class: 'told fine', role: 'status' }, 'Now click a shadowed spot of the same surface.'));
    });
    tell('told', h('p', { class: 'told fine', role: 'status' }, 'Click a lit spot of a surface that a real shadow falls on.'));
  };
  return [
    fold(
      'Against a real shadow',
      'real-shadow',
      quiet(
        pair
          ? `Named at ${pair.frame}. The reading below says the plate’s ratio, ours, and what to change.`
          : 'A lit and a shadowed spot of one surface in the plate tell how dark a shadow is here.',
      ),
      h(
        'div',
        { class: 'actions' },
        button('Name a lit and a shadowed spot', name),
        pair
          ? button(
              'Bring ours to the plate',
              async () => {
                try {
                  const lights = await post(api('to-real-shadow'), { document: state.document });
                  await save('Shadow brought to the plate', (x) => {
                    x.lights = lights;
                    return x;
                  });
                } catch (e) {
                  tell('told', e);
                }
              },
              { next: true },
            )
          : null,
        pair
          ? button('Forget it', () =>
              save('Real shadow forgotten', (x) => {
                x.realShadow = null;
                return x;
              }),
            )
          : null,
      ),
      element
        ? h(
            'div',
            { class: 'actions' },
            button(`Make room for ${element.name}’s shadow`, async () => {
              try {
                const piece = await post(api(`elements/${encodeURIComponent(element.id)}/extend-receiver`), { document: state.document });
                await save(`${piece.name} extended under the shadow`, (x) => {
                  x.pieces[x.pieces.findIndex((q) => q.id === piece.id)] = piece;
                  return x;
                });
              } catch (e) {
                tell('told', e);
              }
            }),
          )
        : null,
    ),
  ];
}

const fitting = { lights: null };
function fitStrengths(d) {
  const own = d.lights.filter((l) => !l.off && l.inPlate !== false && !l.showsPlace);
  fitting.lights ||= own.map((l) => l.id);
  const chosen = fitting.lights.filter((id) => own.some((l) => l.id === id));
  return fold(
    'Fit strengths to the plate',
    'fit-lights',
    quiet(
      'Strengths and colours of the chosen lights by what the plate shows on the set; texture is weighted down. The middle brightness stays.',
    ),
    rows(
      own.map((l) => ({ id: l.id, name: l.name, value: '' })),
      chosen,
      (id) => {
        fitting.lights = chosen.includes(id) ? chosen.filter((x) => x !== id) : [...chosen, id];
        tell('chosen');
      },
    ),
    h(
      'div',
      { class: 'actions' },
      button(
        `Fit at ${state.frame}`,
        async () => {
          tell('told', h('p', { class: 'quiet', role: 'status' }, 'Asking every light what it gives where.'));
          try {
            const r = await post(api(`frames/${state.frame}/fit-lights`), { document: state.document, lights: chosen });
            await save('Lights fitted', (x) => {
              x.lights = r.lights;
              return x;
            });
            tell(
              'told',
              h(
                'p',
                { class: 'told fine', role: 'status' },
                `Left over: ${r.leftOverStops.toFixed(2)} stops in the middle of ${r.probes} places, ${r.beforeStops.toFixed(2)} before.`,
              ),
            );
          } catch (e) {
            tell('told', e);
          }
        },
        { disabled: !chosen.length || !d.camera || !d.pieces.length },
      ),
    ),
  );
}

// The chosen light's strength over the range, for the rail: a curve whose points are its keys.
export function lightCurve() {
  const l = state.document?.lights.find((x) => x.id === state.chosen.light);
  if (state.step !== 5 || !l?.keys?.some((k) => has(k.strength))) return null;
  const { first, last } = state.document.range,
    points = [];
  for (let f = first; f <= last; f++) points.push({ frame: f, value: lightAt(l, f).strength });
  return {
    name: `${l.name}, strength`,
    least: 0,
    curves: [{ axis: '', points }],
    keys: l.keys.filter((k) => has(k.strength)).map((k) => ({ frame: k.frame, value: k.strength })),
    change: (frame, value) =>
      save(`${l.name}: key at ${frame}`, (d) => {
        d.lights.find((x) => x.id === l.id).keys.find((k) => k.frame === frame).strength = Math.max(0, value);
        return d;
      }),
  };
}

// Marks of lamps that stand in the place, at this frame.
export function drawLights({ at, both, label }, over) {
  const parts = [];
  for (const m of over?.lamps || []) {
    const [x, y] = at(...m.at)
        .split(' ')
        .map(Number),
      mine = m.id === state.chosen.light;
    let d = `M${x - 5} ${y}a5 5 0 1 0 10 0a5 5 0 1 0 -10 0M${x} ${y - 8}v-5M${x} ${y + 8}v5M${x - 8} ${y}h-5M${x + 8} ${y}h5`;
    if (m.towards) d += `M${x} ${y}L${at(...m.towards)}`;
    parts.push(both(d, mine ? 2 : 1.1, ''), label(x + 12, y - 7, state.document.lights.find((l) => l.id === m.id)?.name ?? ''));
  }
  return parts;
}

export const lampNear = (over, p, zoom) => (over?.lamps || []).find((m) => Math.hypot(m.at[0] - p.x, m.at[1] - p.y) * zoom < 12) || null;

// Along its own direction, as far as the pointer went along that line in the picture.
export async function drawnOut(lamp, from, to) {
  if (!lamp.towards) return;
  const u = [lamp.towards[0] - lamp.at[0], lamp.towards[1] - lamp.at[1]],
    l2 = u[0] * u[0] + u[1] * u[1];
  if (l2 < 1) {
    tell('told', {
      message: 'The lamp is drawn straight towards the camera here.',
      mend: 'Go to a frame that sees it from the side, or type its place.',
    });
    return;
  }
  // The mark's line is a metre long against the light's direction.
  const metres = -((to.x - from.x) * u[0] + (to.y - from.y) * u[1]) / l2;
  const l = state.document.lights.find((x) => x.id === lamp.id),
    now = lightAt(l),
    n = Math.hypot(...now.direction) || 1,
    position = now.position.map((v, i) => v + (metres * now.direction[i]) / n);
  await save(`${l.name}: drawn out`, (d) => {
    setKeyed(
      d.lights.find((x) => x.id === l.id),
      'position',
      position,
    );
    return d;
  });
}

on('escape', () => {
  state.pullShadow = false;
});
