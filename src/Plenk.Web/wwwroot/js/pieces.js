// The set's pieces: added, laid through points, drawn in the picture, sized, copied.
import { get, post } from './api.js';
import { button, choice, h, heading, number, quiet, rows, text, tick, triple } from './build.js';
import { cloudSection, depthSection } from './clouds.js';
import { edgeSection } from './edges.js';
import { matteChoices } from './mattes.js';
import { hangsOn } from './moving.js';
import { on, save, setHand, state, tell } from './state.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
export const newId = (list, stem) => {
  let k = 1;
  while (list.some((q) => q.id === `${stem}_${k}`)) k++;
  return `${stem}_${k}`;
};
const duties = { receives: true, hides: true, wearsFootage: true, blocksLight: true };
const kinds = {
  Plane: 'plane',
  Box: 'box',
  Mesh: 'mesh',
  Cylinder: 'cylinder',
  Stairs: 'stairs',
  Outline: 'outline',
  Strip: 'strip',
  Dome: 'dome',
  Figure: 'figure',
};
const fine = (t) => tell('told', h('p', { class: 'told fine', role: 'status' }, t));

// Tracked points of this frame that can be circled, the line that is being drawn, and spots that are measured.
export const drawing = { places: [], line: [], loop: null, from: null, measured: null };

const create = (what, stem, piece) =>
  save(what, async (d) => {
    const made = typeof piece === 'function' ? await piece(d) : piece,
      id = newId(d.pieces, stem);
    d.pieces.push({
      position: [0, 0, 0],
      rotationYxzDegrees: [0, 0, 0],
      size: [1, 1, 1],
      scale: 1,
      duties,
      ...made,
      id,
      name: id.replace('_', ' '),
    });
    state.chosen.piece = id;
    return d;
  });

// A plane, a box or a cylinder through the chosen points; how far they lie from it is told.
async function fit(kind) {
  const { points } = state.chosen;
  let r;
  if (
    await create(`${kind} through ${points.length} points`, kind.toLowerCase(), async (d) => {
      r = await post(api('pieces/fit'), { document: d, kind, points, frame: state.frame });
      return r.piece;
    })
  ) {
    state.chosen.points = [];
    fine(
      `The points lie ${(r.rmsMetres * 1000).toFixed(1)} mm from it (root mean square)${r.rmsPixels === null ? '' : `, ${r.rmsPixels.toFixed(2)} px in this frame`}.`,
    );
  }
}

async function places() {
  drawing.places = [];
  if (state.step !== 3 || !state.pointsOpen || !(state.document.solve || state.document.clouds?.length)) {
    tell('draw');
    return;
  }
  try {
    drawing.places = await get(api(`frames/${state.frame}/places`));
    tell('draw');
  } catch {
    /* none then */
  }
}

function surface() {
  setHand(async (p) => {
    try {
      state.chosen.points = await get(api(`frames/${state.frame}/surface?x=${p.x}&y=${p.y}`));
      tell('chosen');
    } catch (e) {
      tell('told', e);
    }
  });
}

// Points inside a loop of clicks; the loop closes where it began.
function circle() {
  drawing.loop = [];
  const next = (p) => {
    const first = drawing.loop[0];
    if (drawing.loop.length > 2 && Math.hypot(first.x - p.x, first.y - p.y) < 14) {
      const inside = (q) =>
        drawing.loop.reduce((odd, a, i) => {
          const b = drawing.loop[(i + 1) % drawing.loop.length];
          return a.y > q.y !== b.y > q.y && q.x < ((b.x - a.x) * (q.y - a.y)) / (b.y - a.y) + a.x ? !odd : odd;
        }, false);
      state.chosen.points = [...new Set([...state.chosen.points, ...drawing.places.filter(inside).map((q) => q.name)])];
      drawing.loop = null;
      tell('chosen');
      return;
    }
    drawing.loop.push(p);
    setHand(next);
    tell('draw');
  };
  setHand(next);
}

// An outline or a path on the floor, corner after corner.
function line(kind) {
  drawing.line = [];
  const next = async (p) => {
    try {
      const { point } = await get(api(`frames/${state.frame}/floor?x=${p.x}&y=${p.y}`));
      drawing.line.push({ ...p, point });
    } catch (e) {
      tell('told', e);
    }
    drawing.kind = kind;
    setHand(next);
    tell('draw');
    tell('chosen');
  };
  setHand(next);
}
async function closeLine() {
  const corners = drawing.line.flatMap((c) => [c.point[0], c.point[2]]),
    outline = drawing.kind === 'Outline';
  if (
    await create(outline ? 'Outline drawn' : 'Strip drawn', kinds[drawing.kind], {
      kind: drawing.kind,
      corners,
      size: outline ? [1, 2.5, 1] : [0.3, 0.15, 1],
      walls: true,
      ground: true,
      openings: [],
      holes: [],
    })
  ) {
    drawing.line = [];
    setHand(null);
  }
}

// The top of a wall, clicked straight above one of the outline's corners.
function heightFromPicture(p) {
  setHand(async (q) => {
    const corners = [];
    for (let i = 0; i < p.corners.length; i += 2)
      corners.push([p.corners[i] + p.position[0], p.position[1], p.corners[i + 1] + p.position[2]]);
    let best = null;
    for (const foot of corners) {
      try {
        const r = await post(api(`frames/${state.frame}/above`), { foot, x: q.x, y: q.y });
        if (r.height > 0.05 && (!best || r.height < best)) best = r.height;
      } catch {
        /* not above this one */
      }
    }
    if (best === null)
      tell('told', { message: 'That spot stands above none of the corners.', mend: 'Click the top of a wall straight above a corner.' });
    else
      await edit(p, 'height from the picture', (x) => {
        x.size = [x.size[0], best, x.size[2]];
      });
  });
}

// Stairs: both ends of the lowest edge on the floor, then the left end of the last edge.
function stairs() {
  const floor = async (p) => (await get(api(`frames/${state.frame}/floor?x=${p.x}&y=${p.y}`))).point;
  const refuse = (e) => tell('told', e);
  setHand(async (p) => {
    try {
      const a = await floor(p);
      setHand(async (q) => {
        try {
          const b = await floor(q);
          setHand(async (r) => {
            try {
              const width = Math.hypot(b[0] - a[0], b[2] - a[2]);
              // Up the stairs is away from the camera: −Z of the piece, square to the first edge.
              const heading = Math.atan2(-(b[2] - a[2]), b[0] - a[0]),
                up = [-Math.sin(heading), 0, -Math.cos(heading)];
              const top = await post(api(`frames/${state.frame}/above`), { foot: a, along: up, x: r.x, y: r.y });
              const middle = [(a[0] + b[0]) / 2 + (up[0] * top.along) / 2, a[1], (a[2] + b[2]) / 2 + (up[2] * top.along) / 2];
              await create('Stairs drawn', 'stairs', {
                kind: 'Stairs',
                count: Math.max(1, Math.round(top.height / 0.17)),
                size: [width, top.height, top.along],
                position: middle,
                rotationYxzDegrees: [0, (heading * 180) / Math.PI, 0],
              });
            } catch (e) {
              refuse(e);
            }
          });
          tell('chosen');
        } catch (e) {
          refuse(e);
        }
      });
      tell('chosen');
    } catch (e) {
      refuse(e);
    }
  });
}

// Two spots of the set: how far apart, how much higher, at what slope.
function measure() {
  const spot = async (p) => {
    const hit = await get(api(`frames/${state.frame}/pixel?x=${p.x}&y=${p.y}&revision=${state.revision}`));
    if (!hit.onSet) throw Object.assign(new Error('Nothing of the set is there.'), { mend: 'Click on a piece.' });
    return hit.onSet;
  };
  setHand(async (p) => {
    try {
      const a = await spot(p);
      drawing.from = p;
      tell('draw');
      setHand(async (q) => {
        try {
          const b = await spot(q);
          drawing.measured = { a, b, from: p, to: q, frame: state.frame };
          drawing.from = null;
          tell('draw');
          tell('chosen');
        } catch (e) {
          tell('told', e);
        }
      });
    } catch (e) {
      tell('told', e);
    }
  });
}

const edit = (p, what, change) =>
  save(`${p.name}: ${what}`, (d) => {
    change(d.pieces.find((x) => x.id === p.id));
    return d;
  });

function copies(p) {
  const shift = (state.copyShift ||= [1, 0, 0]);
  const add = (what, make) =>
    save(`${p.name}: ${what}`, (d) => {
      for (const c of make()) {
        const id = newId(d.pieces, p.id.replace(/_\d+$/, ''));
        d.pieces.push({ ...structuredClone(p), ...c, id, name: id.replace('_', ' ') });
        state.chosen.piece = id;
      }
      return d;
    });
  return [
    heading('Copies'),
    triple('Apart by', shift, 'm', (v) => {
      state.copyShift = v;
    }),
    h(
      'div',
      { class: 'actions' },
      button('Duplicate', () => add('duplicated', () => [{ position: p.position.map((v, i) => v + state.copyShift[i]) }])),
      button('Four in a row', () =>
        add('four in a row', () => [1, 2, 3].map((k) => ({ position: p.position.map((v, i) => v + k * state.copyShift[i]) }))),
      ),
      p.kind === 'Mesh'
        ? null
        : button('Mirror across x', () =>
            add('mirrored across x', () => [
              {
                position: [-p.position[0], p.position[1], p.position[2]],
                rotationYxzDegrees: [p.rotationYxzDegrees[0], -p.rotationYxzDegrees[1], -p.rotationYxzDegrees[2]],
                corners: (p.corners || []).map((v, i) => (i % 2 ? v : -v)),
                holes: (p.holes || []).map((x) => x.map((v, i) => (i % 2 ? v : -v))),
              },
            ]),
          ),
    ),
  ];
}

function byKind(p) {
  const e = (what, change) => edit(p, what, change);
  if (p.kind === 'Mesh')
    return [
      number(
        'Scale',
        p.scale,
        '',
        (v) =>
          e('scaled', (x) => {
            x.scale = v;
          }),
        { min: 1e-6 },
      ),
    ];
  const size = triple('Size', p.size, 'm', (v) =>
    e('sized', (x) => {
      x.size = v;
    }),
  );
  if (p.kind === 'Stairs')
    return [
      size,
      number(
        'Steps',
        p.count,
        '',
        (v) =>
          e('steps', (x) => {
            x.count = Math.round(v);
          }),
        { min: 1, max: 500 },
      ),
      quiet(`Each rises ${((1000 * p.size[1]) / p.count).toFixed(0)} mm and goes ${((1000 * p.size[2]) / p.count).toFixed(0)} mm.`),
    ];
  if (p.kind === 'Strip')
    return [
      number(
        'Width',
        p.size[0],
        'm',
        (v) =>
          e('width', (x) => {
            x.size[0] = v;
          }),
        { min: 1e-3 },
      ),
      number(
        'Height',
        p.size[1],
        'm',
        (v) =>
          e('height', (x) => {
            x.size[1] = v;
          }),
        { min: 1e-3 },
      ),
    ];
  if (p.kind !== 'Outline') return [size];
  const walls = p.corners.length / 2,
    o = (p.openings || []).at(-1);
  const opening = (what, change) => e(what, (x) => change(x.openings.at(-1)));
  return [
    number(
      'Walls’ height',
      p.size[1],
      'm',
      (v) =>
        e('height', (x) => {
          x.size[1] = v;
        }),
      { min: 1e-3 },
    ),
    h(
      'div',
      { class: 'actions' },
      button('Height from the picture', () => heightFromPicture(p)),
    ),
    tick('with walls', p.walls !== false, (v) =>
      e('walls', (x) => {
        x.walls = v;
      }),
    ),
    tick('with its floor', p.ground !== false, (v) =>
      e('floor', (x) => {
        x.ground = v;
      }),
    ),
    h(
      'div',
      { class: 'actions' },
      button('Cut a door', () =>
        e('door', (x) => {
          (x.openings ||= []).push({ wall: 0, from: 0.3, to: 1.2, bottom: 0, top: Math.min(2, x.size[1]) });
        }),
      ),
      button('Cut a window', () =>
        e('window', (x) => {
          (x.openings ||= []).push({
            wall: 0,
            from: 0.3,
            to: 1.5,
            bottom: Math.min(0.9, x.size[1] / 3),
            top: Math.min(2.1, x.size[1] * 0.9),
          });
        }),
      ),
      o
        ? button('Close the last opening', () =>
            e('opening closed', (x) => {
              x.openings.pop();
            }),
          )
        : null,
    ),
    ...(o
      ? [
          choice(
            'Last one in wall',
            String(o.wall),
            Array.from({ length: walls }, (_, i) => [String(i), String(i + 1)]),
            (v) =>
              opening('opening moved', (x) => {
                x.wall = Number(v);
              }),
          ),
          number(
            'From',
            o.from,
            'm',
            (v) =>
              opening('opening moved', (x) => {
                x.from = v;
              }),
            { min: 0 },
          ),
          number(
            'to',
            o.to,
            'm',
            (v) =>
              opening('opening moved', (x) => {
                x.to = v;
              }),
            { min: 0 },
          ),
          number(
            'Bottom',
            o.bottom,
            'm',
            (v) =>
              opening('opening moved', (x) => {
                x.bottom = v;
              }),
            { min: 0 },
          ),
          number(
            'Top',
            o.top,
            'm',
            (v) =>
              opening('opening moved', (x) => {
                x.top = v;
              }),
            { min: 0 },
          ),
        ]
      : []),
  ];
}

export function drawPieces({ at, both, label }) {
  const parts = [];
  if (state.step !== 3) return parts;
  let dots = '',
    heavy = '';
  for (const q of state.pointsOpen ? drawing.places : []) {
    const [x, y] = at(q.x, q.y).split(' ').map(Number),
      d = `M${x - 1.6} ${y}a1.6 1.6 0 1 0 3.2 0a1.6 1.6 0 1 0 -3.2 0`;
    if (state.chosen.points.includes(q.name)) heavy += d;
    else dots += d;
  }
  if (dots) parts.push(both(dots, 0.8, ''));
  if (heavy) parts.push(both(heavy, 2.4, ''));
  const path = (list) => list.map((p, i) => `${i ? 'L' : 'M'}${at(p.x, p.y)}`).join('');
  if (drawing.loop?.length) parts.push(both(path(drawing.loop), 1.2, '5 3'));
  if (drawing.line.length)
    parts.push(
      both(path(drawing.line), 1.6, ''),
      ...drawing.line.map((p) => {
        const [x, y] = at(p.x, p.y).split(' ').map(Number);
        return both(`M${x - 4} ${y}h8M${x} ${y - 4}v8`, 1.2, '');
      }),
    );
  const m = drawing.measured;
  if (m && m.frame === state.frame) {
    const [x1, y1] = at(m.from.x, m.from.y).split(' ').map(Number),
      [x2, y2] = at(m.to.x, m.to.y).split(' ').map(Number),
      d = Math.hypot(...m.a.map((v, i) => v - m.b[i]));
    parts.push(
      both(`M${x1} ${y1}L${x2} ${y2}M${x1} ${y1 - 5}v10M${x2} ${y2 - 5}v10`, 1.3, ''),
      label((x1 + x2) / 2 + 6, (y1 + y2) / 2 - 6, `${d.toFixed(3)} m`),
    );
  }
  return parts;
}

function measured() {
  const m = drawing.measured;
  if (!m) return null;
  const [dx, dy, dz] = m.b.map((v, i) => v - m.a[i]),
    level = Math.hypot(dx, dz),
    far = Math.hypot(level, dy);
  const known = (state.document.knownLengths || [])
    .map((k) => ({ k, off: (100 * far) / k.metres - 100 }))
    .sort((a, b) => Math.abs(a.off) - Math.abs(b.off))[0];
  return h(
    'ul',
    { class: 'plain', id: 'measured' },
    ...[
      `${far.toFixed(3)} m apart, ${level.toFixed(3)} m on the level, ${dy >= 0 ? '+' : '−'}${Math.abs(dy).toFixed(3)} m up`,
      `slope ${((Math.atan2(dy, level) * 180) / Math.PI).toFixed(1)}°, heading ${(((Math.atan2(dx, -dz) * 180) / Math.PI + 360) % 360).toFixed(1)}° from north`,
      known && Math.abs(known.off) < 15
        ? `${known.off >= 0 ? '+' : '−'}${Math.abs(known.off).toFixed(1)} % against the known ${known.k.from}–${known.k.to}, ${known.k.metres} m`
        : null,
    ]
      .filter(Boolean)
      .map((t) => h('li', {}, t)),
  );
}

export function setSection(bringIn) {
  const d = state.document,
    p = d.pieces.find((x) => x.id === state.chosen.piece),
    e = (what, change) => edit(p, what, change);
  const add = (kind, extra = {}) => create(`New ${kinds[kind]}`, kinds[kind], { kind, ...extra });
  const n = state.chosen.points.length,
    solved = (d.solve && !d.solve.turns) || (d.clouds || []).some((c) => !c.off);
  const parts = [
    heading('Pieces'),
    d.pieces.length
      ? rows(
          d.pieces.map((x) => ({
            id: x.id,
            name: x.group ? `${x.group} · ${x.name}` : x.name,
            value: x.off ? 'off' : x.locked ? 'locked' : kinds[x.kind],
          })),
          state.chosen.piece,
          (id) => {
            state.chosen.piece = id;
            tell('chosen');
          },
          { long: true },
        )
      : quiet('Nothing is built yet. Lay a plane on a surface of tracked points, draw an outline, or bring a mesh in.'),
    h(
      'div',
      { class: 'actions' },
      button('Add a plane', () => add('Plane')),
      button('Add a box', () => add('Box')),
      button('Cylinder', () => add('Cylinder', { size: [0.5, 3, 0.5] })),
      button('Stairs', () => add('Stairs', { size: [2, 1, 1.5], count: 6 })),
      button('Dome', () => add('Dome', { size: [200, 100, 200] })),
      d.camera
        ? button('Card, 10 m away', async () => {
            await create('Card', 'card', () => get(api(`frames/${state.frame}/card?metres=10`)));
            tell(
              'told',
              h(
                'p',
                { class: 'told fine', role: 'status' },
                'It hides every element that stands behind it. Untick “hides what is behind it” to have it as a picture alone.',
              ),
            );
          })
        : null,
    ),
    bringIn('Bring a mesh in', 'mesh', '.obj,.glb'),
    d.camera
      ? h(
          'div',
          { class: 'actions' },
          drawing.line.length
            ? button(drawing.kind === 'Outline' ? 'Close the outline' : 'End the path', closeLine, {
                next: true,
                disabled: drawing.line.length < (drawing.kind === 'Outline' ? 3 : 2),
              })
            : null,
          button('Draw an outline on the floor', () => line('Outline')),
          button('Draw a strip', () => line('Strip')),
          button('Stairs from their edges', stairs),
          button('Measure', measure),
        )
      : null,
    measured(),
    h(
      'div',
      { class: 'actions' },
      h(
        'button',
        {
          type: 'button',
          'aria-pressed': state.pointsOpen ? 'true' : 'false',
          onclick: () => {
            state.pointsOpen = !state.pointsOpen;
            places();
            tell('chosen');
          },
        },
        'Through points',
      ),
    ),
  ];
  if (state.pointsOpen) {
    parts.push(
      h(
        'div',
        { id: 'through' },
        quiet(
          solved
            ? 'Choose survey points, all tracked points on one surface, or circle them.'
            : 'Choose survey points, here or in the picture.',
        ),
        solved ? h('div', { class: 'actions' }, button('All on the surface I click', surface), button('Circle points', circle)) : null,
        d.surveyPoints.length
          ? rows(
              d.surveyPoints.map((s) => ({ id: s.name, name: s.name, value: s.position ? '' : 'no place yet' })),
              state.chosen.points,
              (id) => {
                const c = state.chosen.points;
                state.chosen.points = c.includes(id) ? c.filter((x) => x !== id) : [...c, id];
                tell('chosen');
              },
              { long: true },
            )
          : null,
        h('p', { class: 'num', id: 'chosen-points' }, `${n} chosen`),
        h(
          'div',
          { class: 'actions' },
          button('Plane through them', () => fit('Plane'), { disabled: n < 3 }),
          button('Box around them', () => fit('Box'), { disabled: n < 4 }),
          button('Cylinder through them', () => fit('Cylinder'), { disabled: n < 5 }),
          n
            ? button('None of them', () => {
                state.chosen.points = [];
                tell('chosen');
              })
            : null,
        ),
      ),
    );
  }
  parts.push(cloudSection(bringIn), depthSection());
  if (!p) return parts.filter(Boolean);
  parts.push(
    heading(p.name),
    text('Name', p.name, (v) =>
      e('named', (x) => {
        x.name = v;
      }),
    ),
    text('Group', p.group ?? '', (v) =>
      e('grouped', (x) => {
        x.group = v || null;
      }),
    ),
    hangsOn('piece', p),
    triple(
      'Place',
      p.position,
      'm',
      (v) =>
        e('moved', (x) => {
          x.position = v;
        }),
      3,
      p.locked,
    ),
    triple(
      'Turned',
      p.rotationYxzDegrees,
      '°',
      (v) =>
        e('turned', (x) => {
          x.rotationYxzDegrees = v;
        }),
      2,
      p.locked,
    ),
    ...(p.locked
      ? [quiet('Locked: unlock it to move or size it.')]
      : [
          ...byKind(p),
          number(
            'Subdivided',
            p.subdivisions ?? 0,
            'times',
            (v) =>
              e('subdivided', (x) => {
                x.subdivisions = Math.round(v);
              }),
            { min: 0, max: 6 },
          ),
        ]),
    ...edgeSection(p),
    p.group
      ? h(
          'div',
          { class: 'actions' },
          button(`Move all of ${p.group} by what is typed below`, () =>
            save(`${p.group} moved`, (x) => {
              for (const q of x.pieces)
                if (q.group === p.group && !q.locked) q.position = q.position.map((v, i) => v + (state.copyShift || [1, 0, 0])[i]);
              return x;
            }),
          ),
        )
      : null,
    ...copies(p),
    heading('What it does'),
    ...[
      ['receives', 'receives shadow'],
      ['hides', 'hides what is behind it'],
      ['wearsFootage', 'wears footage'],
      ['blocksLight', 'blocks light'],
      ['onlyBlocksLight', 'is not seen'],
      ['lightsElements', 'lights elements by its footage, unseen'],
    ].map(([k, t]) =>
      tick(t, !!p.duties[k], (v) =>
        e(t, (x) => {
          x.duties[k] = v;
        }),
      ),
    ),
    tick('bounces a colour onto elements', !!p.duties.bounces, (v) =>
      e('bounces', (x) => {
        x.duties.bounces = v ? [0.5, 0.5, 0.5] : null;
      }),
    ),
    ...(p.duties.bounces
      ? [
          triple('It bounces', p.duties.bounces, '', (v) =>
            e('bounced colour', (x) => {
              x.duties.bounces = v;
            }),
          ),
        ]
      : []),
    tick('elements are seen in it', !!p.mirror, (v) =>
      e('mirrors', (x) => {
        x.mirror = v ? { reflectivity: 0.02, roughness: 0.1, matte: null } : null;
      }),
    ),
    ...(p.mirror
      ? [
          number(
            'It mirrors, faced',
            100 * p.mirror.reflectivity,
            '%',
            (v) =>
              e('reflectivity', (x) => {
                x.mirror.reflectivity = v / 100;
              }),
            { min: 0, max: 100 },
          ),
          number(
            'Roughness',
            p.mirror.roughness,
            '',
            (v) =>
              e('roughness', (x) => {
                x.mirror.roughness = v;
              }),
            { min: 0, max: 1 },
          ),
          choice('Only within', p.mirror.matte ?? '', [['', 'all of it'], ...matteChoices()], (v) =>
            e('what mirrors', (x) => {
              x.mirror.matte = v || null;
            }),
          ),
        ]
      : []),
    ...(p.duties.hides && !p.duties.onlyBlocksLight
      ? [
          number(
            'Holds out smaller by',
            -(p.duties.holdoutMillimetres ?? 0),
            'mm',
            (v) =>
              e('holdout', (x) => {
                x.duties.holdoutMillimetres = v ? -v : 0;
              }),
            { min: -2000, max: 2000 },
          ),
          number(
            'and by',
            -(p.duties.holdoutPixels ?? 0),
            'px',
            (v) =>
              e('holdout', (x) => {
                x.duties.holdoutPixels = v ? -v : 0;
              }),
            { min: -50, max: 50 },
          ),
          quiet('Smaller than the thing, so that no edge of an element is eaten; less than 0 is larger, to cover something real.'),
        ]
      : []),
    h(
      'div',
      { class: 'actions' },
      button(p.locked ? 'Unlock' : 'Lock', () =>
        e(p.locked ? 'unlocked' : 'locked', (x) => {
          x.locked = !x.locked;
        }),
      ),
      button(p.off ? 'Switch on' : 'Switch off', () =>
        e(p.off ? 'on' : 'off', (x) => {
          x.off = !x.off;
        }),
      ),
      button('Delete', () =>
        save(`Deleted ${p.name}`, (x) => {
          x.pieces = x.pieces.filter((q) => q.id !== p.id);
          return x;
        }),
      ),
    ),
  );
  return parts.filter(Boolean);
}

on('frame', places);
on('step', places);
on('document', places);
on('escape', () => {
  drawing.line = [];
  drawing.loop = null;
  drawing.from = null;
  tell('draw');
});
