// The light's hands: lamps are hung and drawn out, the sun is found, panoramas are made and read; lamps' marks on the picture, strength in the rail.
import { post } from '../api.js';
import { setAt } from '../keys.js';
import { kept, over } from '../over.js';
import { pick, pickSet } from '../pick.js';
import { changed, save, setHand, state, tell } from '../state.js';
import { guarded, say } from '../told.js';
import { apart } from '../view.js';
import { pullsShadows } from './sun.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
const deg = 180 / Math.PI;
export const aim = (azimuth, elevation) => [
  Math.cos(elevation / deg) * Math.sin(azimuth / deg),
  Math.sin(elevation / deg),
  -Math.cos(elevation / deg) * Math.cos(azimuth / deg),
];
export const angles = (d) => ({
  elevation: Math.atan2(d[1], Math.hypot(d[0], d[2])) * deg,
  azimuth: (Math.atan2(d[0], -d[2]) * deg + 360) % 360,
});
// A light as it is at this frame, by its own numbers.
export const lightAt = (l) => ({ ...l, ...over.now?.lights?.find((x) => x.id === l.id) });

// A lamp hung off a surface: click it, and draw out along its normal.
const hang = (fresh) =>
  setHand(
    guarded(async (p) => {
      const hit = await pick(p.x, p.y);
      // Found depth knows a place and no surface: the lamp hangs above it.
      const n = hit.normal || [0, 1, 0],
        position = hit.point.map((v, i) => v + 0.5 * n[i]);
      await save((d) => {
        d.lights.push({ ...fresh, position, direction: n });
        state.chosen.light = fresh.id;
        return d;
      });
      say('lamp-hangs');
    }),
  );

const asked = guarded(async (path, body) => {
  await changed(path, { frame: state.frame, ...body });
  tell('told', null);
});

export const hands = {
  hang: (fresh) => hang(JSON.parse(fresh)),
  // A grey and a chrome ball on the set, to be held against filmed ones.
  balls: () =>
    setHand(
      guarded(async (p) => {
        await changed('balls', { spot: (await pickSet(p.x, p.y)).onSet, radiusMetres: 0.1 });
        say('balls-stand');
      }),
    ),
  stops: (at, _, value) => save((d) => setAt(d, at, 2 ** value)),
  aim(on, _, value) {
    const { light, part } = JSON.parse(on),
      l = state.document.lights.find((x) => x.id === light),
      a = { ...angles(lightAt(l).direction), [part]: value };
    return save((d) => setAt(d, `lights/${light}/direction`, aim(a.azimuth, a.elevation)));
  },
  fitLights: guarded(async (_, button) => {
    const lights = [...document.querySelectorAll('#lights-to-fit input:checked')].map((i) => i.name.slice(4));
    tell('told', { message: button.dataset.telling, fine: true });
    const r = await post(api(`frames/${state.frame}/fit-lights`), { document: state.document, lights });
    await save((d) => Object.assign(d, { lights: r.lights, curves: r.curves }));
    say('lights-fitted', { left: r.leftOverStops.toFixed(2), before: r.beforeStops.toFixed(2), places: r.probes });
  }),
  mirrorBall() {
    setHand((m) => {
      setHand((r) => asked('mirror-ball', { middle: { x: m.x, y: m.y }, rim: { x: r.x, y: r.y } }));
      say('ball-rim');
    });
    say('ball-middle');
  },
  panoramaFromSet: () =>
    setHand(
      guarded(async (p) => {
        const hit = await pick(p.x, p.y);
        await asked('panorama-from-set', { spot: hit.point.map((v, i) => v + 1.2 * (hit.normal?.[i] ?? 0)) });
      }),
    ),
  panoramaScale: (id) =>
    setHand(
      guarded(async (p) => {
        const albedo = Number(document.querySelector('#sheet-body [name=albedo]')?.value ?? 0.18),
          r = await post(api(`frames/${state.frame}/panorama-scale`), { document: state.document, light: id, x: p.x, y: p.y, albedo });
        await save((d) => {
          d.lights.find((l) => l.id === id).strength *= r.factor;
          return d;
        });
      }),
    ),
};
// A lamp in a panorama is lifted out by a click on it.
export function drawn(body) {
  for (const img of body.querySelectorAll('[data-lift]:not([data-bound])')) {
    img.dataset.bound = '';
    img.addEventListener(
      'click',
      guarded(async (e) => {
        const r = img.getBoundingClientRect();
        await changed(`lights/${encodeURIComponent(img.dataset.lift)}/lift`, {
          u: (e.clientX - r.left) / r.width,
          v: (e.clientY - r.top) / r.height,
        });
        tell('told', null);
      }),
    );
  }
}

// Marks of lamps that stand in the place, at this frame.
export function draw({ at, xy, both, label }, over) {
  const parts = [];
  for (const m of (over?.lamps || []).filter((l) => l.at)) {
    const [x, y] = xy(...m.at),
      mine = m.id === state.chosen.light;
    let d = `M${x - 5} ${y}a5 5 0 1 0 10 0a5 5 0 1 0 -10 0M${x} ${y - 8}v-5M${x} ${y + 8}v5M${x - 8} ${y}h-5M${x + 8} ${y}h5`;
    if (m.towards) d += `M${x} ${y}L${at(...m.towards)}`;
    parts.push(both(d, mine ? 2 : 1.1, ''), label(x + 12, y - 7, state.document.lights.find((l) => l.id === m.id)?.name ?? ''));
  }
  return parts;
}

// A lamp is chosen by its mark and drawn out by it.
export function press(p, over) {
  const lamp = !pullsShadows() && (over?.lamps || []).find((m) => m.at && apart({ x: m.at[0], y: m.at[1] }, p) < 12);
  if (!lamp) return null;
  let moved = false;
  state.chosen.light = lamp.id;
  tell('chosen');
  return {
    move() {
      moved = true;
    },
    release: (q) => moved && drawnOut(lamp, p, q),
  };
}

// Along its own direction, as far as the pointer went along that line in the picture.
async function drawnOut(lamp, from, to) {
  if (!lamp.towards) return;
  const u = [lamp.towards[0] - lamp.at[0], lamp.towards[1] - lamp.at[1]],
    l2 = u[0] * u[0] + u[1] * u[1];
  if (l2 < 1) {
    say('lamp-towards-camera');
    return;
  }
  // The mark's line is a metre long against the light's direction.
  const metres = -((to.x - from.x) * u[0] + (to.y - from.y) * u[1]) / l2;
  const n = Math.hypot(...lamp.direction) || 1,
    position = lamp.position.map((v, i) => v + (metres * lamp.direction[i]) / n);
  await save((d) => setAt(d, `lights/${lamp.id}/position`, kept(`lights/${lamp.id}`, position)));
}
