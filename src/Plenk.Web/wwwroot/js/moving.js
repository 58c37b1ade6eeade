// Things that move on their own: stood in the picture and pinned, followed between, or found from the tracks in their matte.
import { get, post } from './api.js';
import { button, choice, h, heading, number, quiet, rows, text } from './build.js';
import { changed, on, save, setHand, state, tell } from './state.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
const pulled = { thing: null, frame: 0, pins: null, lines: null };
const things = () => state.document.movingObjects || [];
const chosen = () => things().find((t) => t.id === state.chosen.thing);
const holdAt = (t, frame) => (t?.holds || []).find((x) => x.frame === frame);

// From the world into a thing's own frame: the inverse of its placement, row by row.
export function intoFrame(pose, [x, y, z]) {
  const d = [x - pose[3], y - pose[7], z - pose[11]];
  return [0, 1, 2].map((c) => pose[c] * d[0] + pose[4 + c] * d[1] + pose[8 + c] * d[2]);
}

export function drawThings({ at, both, label }, over) {
  const parts = [],
    path = (p) => {
      let d = `M${at(p[0], p[1])}`;
      for (let i = 2; i < p.length; i += 2) d += `L${at(p[i], p[i + 1])}`;
      return d;
    };
  for (const o of over?.things || []) {
    const mine = o.id === state.chosen.thing,
      pulling = pulled.lines && pulled.thing === o.id && pulled.frame === state.frame;
    parts.push(both((pulling ? pulled.lines : o.lines).map(path).join(''), mine ? 1.5 : 0.8, ''));
  }
  const t = chosen(),
    pins = pulled.pins && pulled.thing === t?.id && pulled.frame === state.frame ? pulled.pins : holdAt(t, state.frame)?.pins;
  (pins || []).forEach((p, i) => {
    const [x, y] = at(p.x, p.y).split(' ').map(Number);
    parts.push(both(`M${x} ${y - 5}l5 5l-5 5l-5 -5zM${x} ${y + 5}v5`, 1.3, ''), label(x + 8, y + 4, `${i + 1}`));
  });
  return parts;
}

// The chosen thing's pin under the pointer, to be dragged; the mesh follows while it is.
export function pinNear(p, zoom) {
  const t = chosen(),
    pins = holdAt(t, state.frame)?.pins || [];
  const i = pins.findIndex((q) => Math.hypot(q.x - p.x, q.y - p.y) * zoom < 11);
  if (i < 0) return null;
  Object.assign(pulled, { thing: t.id, frame: state.frame, pins: structuredClone(pins), lines: null });
  return {
    move: (q) => {
      Object.assign(pulled.pins[i], { x: q.x, y: q.y });
      look();
    },
  };
}

let looking = false;
async function look() {
  if (looking) return;
  looking = true;
  let asked;
  do {
    asked = JSON.stringify(pulled.pins);
    try {
      pulled.lines = (
        await post(api(`things/${encodeURIComponent(pulled.thing)}/pull`), {
          revision: state.revision,
          frame: pulled.frame,
          pins: JSON.parse(asked),
        })
      ).lines;
    } catch {
      pulled.lines = null;
    }
    tell('draw');
  } while (pulled.pins && asked !== JSON.stringify(pulled.pins));
  looking = false;
}

const work = async (id) => {
  try {
    await post(api(`things/${encodeURIComponent(id)}/work`), {});
    tell('told', null);
    tell('jobs-now');
  } catch (e) {
    tell('told', e);
  }
};

// A hold with these pins is kept; what was followed before settles again.
async function keepHold(id, frame, pins, start) {
  const t = things().find((x) => x.id === id),
    followed = t.frames.length > 0;
  let fault = null;
  const good = await save(`${t.name} held at ${frame}`, async (d) => {
    const o = d.movingObjects.find((x) => x.id === id);
    let objectToWorld = start;
    if (!objectToWorld)
      ({ objectToWorld, fault } = await post(api(`things/${encodeURIComponent(id)}/pull`), { revision: state.revision, frame, pins }));
    o.holds = [...o.holds.filter((x) => x.frame !== frame), { frame, objectToWorld, pins }].sort((a, b) => a.frame - b.frame);
    return d;
  });
  Object.assign(pulled, { thing: null, pins: null, lines: null });
  if (!good) return;
  if (fault) tell('told', { message: fault });
  else if (followed) await work(id);
}
export const keepPins = () => keepHold(pulled.thing, pulled.frame, pulled.pins);

function stand(t) {
  setHand(async (p) => {
    const frame = state.frame;
    try {
      await keepHold(
        t.id,
        frame,
        [],
        (await get(api(`things/${encodeURIComponent(t.id)}/stand?frame=${frame}&x=${p.x}&y=${p.y}`))).objectToWorld,
      );
    } catch (e) {
      tell('told', e);
    }
  });
}

// A spot of the mesh, then where it belongs in the picture.
function pin(t) {
  setHand(async (p) => {
    const frame = state.frame;
    try {
      const { place } = await get(api(`things/${encodeURIComponent(t.id)}/spot?frame=${frame}&x=${p.x}&y=${p.y}`));
      setHand((q) => keepHold(t.id, frame, [...(holdAt(t, frame)?.pins || []), { place, x: q.x, y: q.y }]));
    } catch (e) {
      tell('told', e);
    }
  });
}

// About its own upright, in a frame where it is held by no pin yet or is to be pinned anew.
function turn(t, hold, degrees) {
  const m = [...hold.objectToWorld],
    c = Math.cos((degrees * Math.PI) / 180),
    s = Math.sin((degrees * Math.PI) / 180);
  for (const r of [0, 4, 8])
    [m[r], m[r + 2]] = [
      c * hold.objectToWorld[r] - s * hold.objectToWorld[r + 2],
      s * hold.objectToWorld[r] + c * hold.objectToWorld[r + 2],
    ];
  return keepHold(t.id, state.frame, [], m);
}

const change = (what, t, act) =>
  save(`${t.name}: ${what}`, (d) => {
    act(d.movingObjects.find((x) => x.id === t.id));
    return d;
  });

export function movingSection(bringIn) {
  const d = state.document,
    t = chosen(),
    hold = holdAt(t, state.frame),
    matte = (d.mattes || []).find((m) => m.id === state.chosen.matte);
  if (!d.camera || d.range.first === d.range.last) return [];
  const fresh = () =>
    save('New moving thing', (x) => {
      x.movingObjects ||= [];
      let k = 1;
      while (x.movingObjects.some((o) => o.id === `thing_${k}`)) k++;
      x.movingObjects.push({ id: `thing_${k}`, name: matte.name, matte: matte.id, holds: [], frames: [], warnings: [] });
      state.chosen.thing = `thing_${k}`;
      return x;
    });
  const parts = [
    heading('Things that move'),
    things().length
      ? rows(
          things().map((o) => ({ id: o.id, name: o.name, value: o.frames.length ? `${o.frames.length} frames` : 'no path yet' })),
          state.chosen.thing,
          (id) => {
            state.chosen.thing = id;
            tell('chosen');
          },
        )
      : quiet('A thing that moves on its own: choose the matte around it, or bring its mesh in.'),
    h(
      'div',
      { class: 'actions' },
      button(matte ? `A thing inside ${matte.name}` : 'A thing inside a matte', fresh, {
        disabled: !matte,
        title: matte ? '' : 'Choose a matte first',
      }),
    ),
    bringIn('Bring its mesh in', 'thing', '.obj,.glb'),
  ];
  if (!t) return parts;
  parts.push(
    heading(t.name),
    text(
      'Name',
      t.name,
      (v) =>
        v &&
        change('named', t, (o) => {
          o.name = v;
        }),
    ),
  );
  if (t.media) {
    parts.push(
      quiet(
        hold
          ? `Held at ${state.frame}${hold.pins.length ? ` by ${hold.pins.length} pin${hold.pins.length === 1 ? '' : 's'}` : ''}. One pin shifts it, two let it grow and roll, three turn it; pull them.`
          : t.holds.length
            ? 'Go to a frame where it slips, and pin it there.'
            : 'Stand it where it belongs in one frame, then pin spots of it to the picture.',
      ),
      h(
        'div',
        { class: 'actions' },
        button('Stand it here', () => stand(t), { next: !t.holds.length }),
        button('Pin a spot of it', () => pin(t), {
          disabled: !hold && !t.frames.length,
          title: 'Click on the mesh, then where that spot belongs',
        }),
        hold?.pins.length
          ? button('Take the last pin out', () => keepHold(t.id, state.frame, hold.pins.slice(0, -1), hold.objectToWorld))
          : null,
      ),
    );
    if (hold) parts.push(number('Turn it by', 0, '°', (v) => turn(t, hold, v)));
    if (t.holds.length) {
      const frames = t.holds.map((x) => x.frame);
      const letGo = async (what, keep) => {
        if (
          (await change(what, t, (o) => {
            o.holds = o.holds.filter((x) => keep(x.frame));
          })) &&
          t.frames.length
        )
          await work(t.id);
      };
      parts.push(
        h('p', { class: 'num', id: 'holds' }, `held at ${frames.join(', ')}`),
        h(
          'div',
          { class: 'actions' },
          button(t.frames.length ? 'Follow it again' : 'Follow it through the range', () => work(t.id), { next: !t.frames.length }),
          hold
            ? button(`Let ${state.frame} go`, () => letGo(`no longer held at ${state.frame}`, (f) => f !== state.frame), {
                disabled: frames.length < 2,
              })
            : null,
          frames.length > 2
            ? button('Let go between first and last', () => letGo('let go between', (f) => f === frames[0] || f === frames.at(-1)))
            : null,
        ),
      );
    }
  } else {
    parts.push(
      choice(
        'Its matte',
        t.matte ?? '',
        (d.mattes || []).map((m) => [m.id, m.name]),
        (v) =>
          change('matte', t, (o) => {
            o.matte = v;
          }),
      ),
      number(
        'Distance at the first frame',
        t.distanceMetres ?? NaN,
        'm',
        (v) =>
          change('distance', t, (o) => {
            o.distanceMetres = v;
          }),
        { min: 1e-3 },
      ),
      quiet('Without a distance its size is found from its path, or from the floor under its matte.'),
      h(
        'div',
        { class: 'actions' },
        button(t.frames.length ? 'Solve it again' : 'Solve its motion', () => work(t.id), { next: !t.frames.length }),
      ),
    );
  }
  if (t.frames.length)
    parts.push(
      h(
        'p',
        { class: 'num', id: 'thing-report' },
        `${t.frames.length} frames, ${t.rmsPx.toFixed(2)} px${t.sizeBy ? `; size by ${t.sizeBy}${t.sizeDoubt ? ` ± ${(100 * t.sizeDoubt).toFixed(0)} %` : ''}` : ''}`,
      ),
      ...t.warnings.slice(0, 2).map((w) => h('p', { class: 'told' }, w)),
    );
  parts.push(
    h(
      'div',
      { class: 'actions' },
      button('Delete it', () =>
        save(`Deleted ${t.name}`, (x) => {
          x.movingObjects = x.movingObjects.filter((o) => o.id !== t.id);
          return x;
        }),
      ),
    ),
  );
  return parts;
}

// What a piece or an element stands in: the world, or a moving thing's frame.
export function hangsOn(kind, item) {
  const on = things().filter((t) => t.frames.length || t.id === item.hangsOn);
  if (!on.length) return null;
  return choice('Hangs on', item.hangsOn ?? '', [['', 'nothing: it stands in the world'], ...on.map((t) => [t.id, t.name])], async (v) => {
    try {
      await changed('hang', { [kind]: item.id, thing: v || null, frame: state.frame });
      tell('told', null);
    } catch (e) {
      tell('told', e);
    }
  });
}

on('frame', () => Object.assign(pulled, { thing: null, pins: null, lines: null }));
