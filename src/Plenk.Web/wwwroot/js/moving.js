// Things that move on their own: stood in the picture and pinned, followed between, or found from the tracks in their matte.
import { get, post } from './api.js';
import { on, save, setHand, state, tell } from './state.js';
import { apart } from './view.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
const pulled = { thing: null, frame: 0, pins: null, lines: null };
const things = () => state.document.movingObjects || [];
const chosen = () => things().find((t) => t.id === state.chosen.thing);
const holdAt = (t, frame) => (t?.holds || []).find((x) => x.frame === frame);

export function draw({ xy, path, both, label }, over) {
  const parts = [];
  if (state.step !== 2) return parts;
  for (const o of over?.things || []) {
    const mine = o.id === state.chosen.thing,
      pulling = pulled.lines && pulled.thing === o.id && pulled.frame === state.frame;
    parts.push(both((pulling ? pulled.lines : o.lines).map(path).join(''), mine ? 1.5 : 0.8, ''));
  }
  const t = chosen(),
    pins = pulled.pins && pulled.thing === t?.id && pulled.frame === state.frame ? pulled.pins : holdAt(t, state.frame)?.pins;
  (pins || []).forEach((p, i) => {
    const [x, y] = xy(p.x, p.y);
    parts.push(both(`M${x} ${y - 5}l5 5l-5 5l-5 -5zM${x} ${y + 5}v5`, 1.3, ''), label(x + 8, y + 4, `${i + 1}`));
  });
  return parts;
}

// The chosen thing's pin under the pointer, to be dragged; the mesh follows while it is.
export function press(p) {
  if (state.step !== 2) return null;
  const t = chosen(),
    pins = holdAt(t, state.frame)?.pins || [];
  const i = pins.findIndex((q) => apart(q, p) < 11);
  if (i < 0) return null;
  let moved = false;
  Object.assign(pulled, { thing: t.id, frame: state.frame, pins: structuredClone(pins), lines: null });
  return {
    move(q) {
      moved = true;
      Object.assign(pulled.pins[i], { x: q.x, y: q.y });
      look();
    },
    release: () => moved && keepHold(pulled.thing, pulled.frame, pulled.pins),
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
  const good = await save(async (d) => {
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

const byId = (id) => things().find((t) => t.id === id);
async function letGo(id, keep) {
  const good = await save((d) => {
    const t = d.movingObjects.find((x) => x.id === id);
    t.holds = t.holds.filter((x) => keep(x.frame, t.holds));
    return d;
  });
  if (good && byId(id).frames.length) await work(id);
}
export const hands = {
  standThing: (id) => stand(byId(id)),
  pinThing: (id) => pin(byId(id)),
  unpinThing(id) {
    const hold = holdAt(byId(id), state.frame);
    return keepHold(id, state.frame, hold.pins.slice(0, -1), hold.objectToWorld);
  },
  turnThing: (id, _, degrees) => turn(byId(id), holdAt(byId(id), state.frame), degrees),
  workThing: work,
  letGo: (id) => letGo(id, (f) => f !== state.frame),
  letGoBetween: (id) => letGo(id, (f, all) => f === all[0].frame || f === all.at(-1).frame),
};

on('frame', () => Object.assign(pulled, { thing: null, pins: null, lines: null }));
