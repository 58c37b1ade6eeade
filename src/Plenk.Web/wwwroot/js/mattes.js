// Mattes: one list for every step. Shapes drawn on the plate, coloured screens, pictures, elements' coverage; joined, carried along, frozen.
import { get, picture, post, upload } from './api.js';
import { button, choice, fold, frameTiming, h, heading, notes, number, quiet, rows, text, tick, triple } from './build.js';
import { keyHere, straightAt, straightCurve } from './keys.js';
import { inLine, on, save, setHand, state, tell } from './state.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
export const mattes = { shape: [], pulled: null, moved: null };
const kinds = { Drawn: 'drawn', Screen: 'screen', Frames: 'pictures', Element: 'an element' };
const idOf = (d) => {
  let k = 1;
  while ((d.mattes || []).some((m) => m.id === `matte_${k}`)) k++;
  return `matte_${k}`;
};
export const matteChoices = () => (state.document.mattes || []).map((m) => [m.id, m.name]);

// Where a carried shape is: asked of the server, which knows its motion; a plain one is straight between its keys.
const carried = new Map();
const carriedKey = (m, frame) => `${m.id}/${frame}/${state.revision}`;
export function matteAt(m, frame) {
  if (mattes.pulled?.matte === m.id && frame === state.frame) return mattes.pulled.corners;
  if (m.motion) {
    const key = carriedKey(m, frame);
    if (!carried.has(key)) {
      carried.set(key, []);
      if (carried.size > 400) carried.delete(carried.keys().next().value);
      inLine(() => get(`${api(`mattes/${encodeURIComponent(m.id)}/outline`)}?frame=${frame}&revision=${state.revision}`))
        .then((o) => {
          carried.set(key, o.corners);
          tell('draw');
        })
        .catch(() => {});
    }
    return carried.get(key);
  }
  return straightAt(m.keys, 'corners', frame) ?? [];
}

// Outlines of mattes, the chosen one with its corners, and the one that is being drawn.
export function drawMattes({ at, both }, list) {
  const parts = [];
  for (const m of list) {
    if ((m.kind ?? 'Drawn') !== 'Drawn') continue;
    const c = matteAt(m, state.frame);
    if (c.length < 6) continue;
    let d = '';
    for (let i = 0; i < c.length; i += 2) d += `${i ? 'L' : 'M'}${at(c[i], c[i + 1])}`;
    const mine = m.id === state.chosen.matte;
    parts.push(both(`${d}Z`, mine ? 1.8 : 1, m.off ? '1 4' : '7 3'));
    if (mine)
      for (let i = 0; i < c.length; i += 2) {
        const [x, y] = at(c[i], c[i + 1])
          .split(' ')
          .map(Number);
        parts.push(both(`M${x - 4} ${y}h8M${x} ${y - 4}v8`, 1.4, ''));
      }
  }
  if (mattes.shape.length) parts.push(both(mattes.shape.map((p, i) => `${i ? 'L' : 'M'}${at(p.x, p.y)}`).join(''), 1.4, ''));
  return parts;
}

// A corner of the chosen matte under the pointer, to be dragged; where it is let go becomes a key of this frame.
export function cornerNear(p, zoom) {
  const m = (state.document.mattes || []).find((x) => x.id === state.chosen.matte);
  if (!m || (m.kind ?? 'Drawn') !== 'Drawn') return null;
  const corners = matteAt(m, state.frame);
  for (let i = 0; i < corners.length; i += 2)
    if (Math.hypot(corners[i] - p.x, corners[i + 1] - p.y) * zoom < 10) return { matte: m.id, corners: [...corners], i };
  return null;
}

export const keyMatte = (id, corners) =>
  save(`Matte keyed at ${state.frame}`, (d) => {
    keyHere(d.mattes.find((x) => x.id === id)).corners = corners;
    return d;
  });

// Corner by corner; closing the shape makes the matte, with a key at this frame.
function shapeClick(p) {
  mattes.shape.push(p);
  setHand(shapeClick);
  tell('draw');
  tell('chosen');
}
function closeShape() {
  const corners = mattes.shape.flatMap((p) => [p.x, p.y]);
  mattes.shape = [];
  setHand(null);
  return save('Drew a matte', (d) => {
    d.mattes ||= [];
    const id = idOf(d);
    d.mattes.push({ id, name: id.replace('_', ' '), keys: [{ frame: state.frame, corners }] });
    state.chosen.matte = id;
    return d;
  });
}

// The list of mattes and what can be done with the chosen one. Where a step needs no more, short.
export function matteTools(short = true) {
  const d = state.document,
    list = d.mattes || [],
    m = list.find((x) => x.id === state.chosen.matte);
  const e = (what, change) =>
    save(`${m.name}: ${what}`, (x) => {
      change(x.mattes.find((q) => q.id === m.id));
      return x;
    });
  const value = (x) =>
    x.off
      ? 'off'
      : x.frozen
        ? 'frozen'
        : (x.kind ?? 'Drawn') === 'Drawn'
          ? `${x.keys.length} key${x.keys.length === 1 ? '' : 's'}${x.motion ? ', carried' : ''}`
          : kinds[x.kind];
  const out = [
    list.length
      ? rows(
          list.map((x) => ({ id: x.id, name: x.name, value: value(x) })),
          state.chosen.matte,
          (id) => {
            state.chosen.matte = id;
            tell('chosen');
          },
        )
      : quiet('None. Draw around people and reflections; tracks keep off them.'),
    h(
      'div',
      { class: 'actions' },
      mattes.shape.length
        ? button('Close the shape', closeShape, { disabled: mattes.shape.length < 3, next: true })
        : button('Draw a matte', () => {
            mattes.shape = [];
            setHand(shapeClick);
          }),
      ...(m
        ? [
            button(m.off ? 'Switch on' : 'Switch off', () =>
              e(m.off ? 'on' : 'off', (q) => {
                q.off = !q.off;
              }),
            ),
            button('Delete matte', () =>
              save(`Deleted ${m.name}`, (x) => {
                x.mattes = x.mattes.filter((q) => q.id !== m.id);
                return x;
              }),
            ),
          ]
        : []),
    ),
  ];
  if (short)
    return [
      ...out,
      m && (m.kind ?? 'Drawn') === 'Drawn' ? quiet('Pull its corners; where they are let go becomes a key of this frame.') : null,
    ].filter(Boolean);
  const file = h('input', { type: 'file', accept: '.png,.tif,.tiff,.jpg,.exr', multiple: true, 'aria-label': 'Pictures of a matte' });
  out.push(
    h(
      'div',
      { class: 'actions' },
      button('Key a coloured screen', () => {
        setHand(async (p) => {
          try {
            const { color } = await post(api('mattes/screen'), { x: p.x, y: p.y, frame: state.frame });
            await save('Screen keyed', (x) => {
              x.mattes ||= [];
              const id = idOf(x);
              x.mattes.push({
                id,
                name: 'before the screen',
                kind: 'Screen',
                keys: [],
                screen: { color, low: 0.1, high: 0.5, takesSpillOff: true },
                keepsTracksOff: false,
                hidesBeyondMetres: 0,
              });
              state.chosen.matte = id;
              return x;
            });
          } catch (err) {
            tell('told', err);
          }
        });
        tell('told', h('p', { class: 'told fine', role: 'status' }, 'Click on the screen where it is plain.'));
      }),
      d.elements?.length
        ? button('An element’s coverage', () =>
            save('Matte of an element', (x) => {
              x.mattes ||= [];
              const id = idOf(x),
                own = x.elements.find((q) => q.id === state.chosen.element) || x.elements[0];
              x.mattes.push({ id, name: own.name, kind: 'Element', keys: [], element: own.id, keepsTracksOff: false });
              state.chosen.matte = id;
              return x;
            }),
          )
        : null,
    ),
    h(
      'div',
      { class: 'actions' },
      file,
      button('Bring pictures in as a matte', async () => {
        const form = new FormData();
        for (const f of file.files) form.append('files', f, f.name);
        try {
          const r = await inLine(() => upload(api('mattes/frames'), form));
          state.chosen.matte = r.matte;
          tell('chosen');
          tell('told', r.notes.length ? notes(r.notes) : null);
        } catch (err) {
          tell('told', err);
        }
      }),
    ),
  );
  if (!m) return out.filter(Boolean);
  const drawn = (m.kind ?? 'Drawn') === 'Drawn',
    begin = async (what) => {
      try {
        await post(api(`mattes/${encodeURIComponent(m.id)}/${what}`), { frame: state.frame });
        tell('told', null);
        tell('jobs-now');
      } catch (err) {
        tell('told', err);
      }
    };
  out.push(
    heading(m.name),
    text('Name', m.name, (v) =>
      e('named', (q) => {
        q.name = v || q.name;
      }),
    ),
  );
  if (drawn) {
    if (m.keys.length > 1) out.push(railChoice());
    out.push(
      quiet(
        m.keys.length
          ? `Keyed at ${m.keys
              .map((k) => k.frame)
              .sort((a, b) => a - b)
              .join(', ')}. Pull its corners: where they are let go becomes a key of this frame.`
          : 'Without keys.',
      ),
      m.motion
        ? quiet(
            `Carried along by ${m.motion.madeBy}, ${m.motion.steps[0].frame}–${m.motion.steps.at(-1).frame}; keys correct what is carried.`,
          )
        : quiet('Its outline and its motion are apart: let it be carried along, and correct the outline by keys.'),
      h(
        'div',
        { class: 'actions' },
        button('Carry it by the plane inside it', () => begin('follow')),
        state.chosen.track !== null && d.tracks
          ? button(`Carry it by track ${state.chosen.track}`, async () => {
              try {
                const motion = await post(api(`mattes/${encodeURIComponent(m.id)}/with-track/${state.chosen.track}`), {});
                await e(`carried by track ${state.chosen.track}`, (q) => {
                  q.motion = motion;
                });
              } catch (err) {
                tell('told', err);
              }
            })
          : null,
        m.motion
          ? button('Let it stand', () =>
              e('stands', (q) => {
                q.motion = null;
              }),
            )
          : null,
        m.keys.some((k) => k.frame === state.frame) && m.keys.length > 1
          ? button('Take this key away', () =>
              e(`key at ${state.frame} taken away`, (q) => {
                q.keys = q.keys.filter((k) => k.frame !== state.frame);
              }),
            )
          : null,
      ),
    );
  }
  if (m.kind === 'Screen')
    out.push(
      triple(
        'Screen',
        m.screen.color,
        '',
        (v) =>
          e('screen', (q) => {
            q.screen.color = v;
          }),
        4,
      ),
      number(
        'Whole up to',
        m.screen.low,
        '',
        (v) =>
          e('band', (q) => {
            q.screen.low = v;
          }),
        { min: 0, max: 2 },
      ),
      number(
        'gone at',
        m.screen.high,
        '',
        (v) =>
          e('band', (q) => {
            q.screen.high = v;
          }),
        { min: 0.01, max: 3 },
      ),
      tick('its spill is taken off', m.screen.takesSpillOff !== false, (v) =>
        e('spill', (q) => {
          q.screen.takesSpillOff = v;
        }),
      ),
    );
  if (m.kind === 'Element')
    out.push(
      choice(
        'Of',
        m.element ?? '',
        d.elements.map((q) => [q.id, q.name]),
        (v) =>
          e('element', (q) => {
            q.element = v;
          }),
      ),
    );
  if (m.kind === 'Frames') out.push(...frameTiming(m.frames, e, (q) => q.frames));
  if (m.ids)
    out.push(
      text('Of the layer', m.ids.layer, (v) =>
        e('layer', (q) => {
          q.ids.layer = v;
        }),
      ),
      text('Whose coverage', m.ids.names.join(', '), (v) =>
        e('names', (q) => {
          q.ids.names = v
            .split(',')
            .map((n) => n.trim())
            .filter(Boolean);
        }),
      ),
    );
  out.push(
    number(
      'Its edge is',
      m.featherPixels ?? 1,
      'px',
      (v) =>
        e('edge', (q) => {
          q.featherPixels = v;
        }),
      { min: 0, max: 500 },
    ),
    number(
      'Larger by',
      m.growPixels ?? 0,
      'px',
      (v) =>
        e('grown', (q) => {
          q.growPixels = v;
        }),
      { min: -200, max: 200 },
    ),
    tick('the other way round', !!m.inverted, (v) =>
      e('inverted', (q) => {
        q.inverted = v;
      }),
    ),
    drawn
      ? tick('tracks keep off it', m.keepsTracksOff !== false, (v) =>
          e('tracks', (q) => {
            q.keepsTracksOff = v;
          }),
        )
      : null,
    tick('what lies in it hides elements', m.hidesBeyondMetres !== null && m.hidesBeyondMetres !== undefined, (v) =>
      e('hides', (q) => {
        q.hidesBeyondMetres = v ? 0 : null;
      }),
    ),
    m.hidesBeyondMetres !== null && m.hidesBeyondMetres !== undefined
      ? number(
          'beyond',
          m.hidesBeyondMetres,
          'm',
          (v) =>
            e('distance', (q) => {
              q.hidesBeyondMetres = v;
            }),
          { min: 0, max: 1e6 },
        )
      : null,
  );
  const others = list.filter((q) => q.id !== m.id);
  out.push(
    ...(m.parts || []).map((p, i) =>
      choice(
        `${list.find((q) => q.id === p.matte)?.name ?? p.matte} is`,
        p.join,
        [
          ['Add', 'added'],
          ['Subtract', 'taken away'],
          ['Within', 'what it is within'],
          ['gone', 'let go'],
        ],
        (v) =>
          e('joined', (q) => {
            if (v === 'gone') q.parts.splice(i, 1);
            else q.parts[i].join = v;
          }),
      ),
    ),
  );
  if (others.length) {
    const select = h(
      'select',
      { class: 'blank', 'aria-label': 'Matte to join' },
      ...others.map((q) => h('option', { value: q.id }, q.name)),
    );
    out.push(
      h(
        'div',
        { class: 'actions' },
        select,
        button('Join it', () =>
          e('joined', (q) => {
            q.parts = [...(q.parts || []), { matte: select.value, join: 'Add' }];
          }),
        ),
      ),
    );
  }
  out.push(
    h(
      'div',
      { class: 'actions' },
      button('Look at it', look),
      m.frozen
        ? button('Thaw', () =>
            e('thawed', (q) => {
              q.frozen = null;
            }),
          )
        : button('Freeze', () => begin('freeze'), { title: 'Kept as pictures: nothing that it hangs on changes it any more' }),
    ),
    m.frozen ? quiet('Frozen: what is changed here shows once it is thawed.') : null,
    shown(),
  );
  return out.filter(Boolean);
}

let seen = null,
  seenOf = '';
async function look() {
  const m = state.chosen.matte,
    key = `${m}/${state.frame}/${state.revision}`;
  try {
    const bitmap = await picture(
      `${api(`frames/${state.frame}/picture`)}?kind=${encodeURIComponent(`matte:${m}`)}&width=640&quality=draft&revision=${state.revision}`,
    );
    [seen, seenOf] = [bitmap, key];
    tell('told', null);
    tell('chosen');
  } catch (e) {
    tell('told', e);
  }
}
function shown() {
  if (!seen || seenOf !== `${state.chosen.matte}/${state.frame}/${state.revision}`) return null;
  const canvas = h('canvas', {
    width: seen.width,
    height: seen.height,
    class: 'small-picture',
    role: 'img',
    'aria-label': `The matte at ${state.frame}: white is inside`,
  });
  canvas.getContext('2d').drawImage(seen, 0, 0);
  return canvas;
}

export const matteSection = () => fold('Mattes', 'mattes', ...matteTools(false));

on('escape', () => {
  mattes.shape = [];
  tell('draw');
});
on('frame', () => {
  mattes.pulled = null;
});
on('document', () => {
  mattes.pulled = null;
});

// For the rail: where the middle of the chosen outline is, by its keys; a key that is pulled takes the whole outline along.
let railOn = 0;
const middle = (corners, axis) => corners.filter((_, i) => i % 2 === axis).reduce((a, b) => a + b, 0) / (corners.length / 2);
export function matteCurve() {
  const m =
      [4, 5, 6, 7].includes(state.step) && state.chosen.matte
        ? (state.document.mattes || []).find((x) => x.id === state.chosen.matte)
        : null,
    axis = railOn;
  if (!m || (m.kind ?? 'Drawn') !== 'Drawn' || m.frozen) return null;
  return straightCurve(
    `${m.name}, its middle ${axis ? 'down' : 'across'}, px`,
    m.keys,
    'corners',
    (c) => middle(c, axis),
    (frame, value) =>
      save(`${m.name}: key at ${frame}`, (d) => {
        const k = d.mattes.find((x) => x.id === m.id).keys.find((q) => q.frame === frame),
          by = value - middle(k.corners, axis);
        k.corners = k.corners.map((v, i) => (i % 2 === axis ? v + by : v));
        return d;
      }),
  );
}
const railChoice = () =>
  choice(
    'In the rail',
    railOn ? 'down' : 'across',
    [
      ['across', 'its middle across'],
      ['down', 'its middle down'],
    ],
    (v) => {
      railOn = v === 'down' ? 1 : 0;
      tell('chosen');
    },
  );
