// The set from above: a measured drawing at one scale both ways. Elements, boxes and planes, and the sun are moved here.
import { mark } from './marks.js';
import { get } from './api.js';
import { setAt } from './keys.js';
import { kept, over } from './over.js';
import { lightAt } from './steps/light.js';
import { on, save, state, tell } from './state.js';

const svg = document.querySelector('#plan svg');
let data = null;
let view = null; // {x, z, scale}: world at the middle, pixels a metre
let held = null;

export async function refreshPlan() {
  try {
    data = await get(`/api/shots/${state.id}/plan?revision=${state.revision}&frame=${state.frame}`);
  } catch {
    data = null;
  }
  draw();
}

function draw() {
  const r = svg.getBoundingClientRect();
  if (!data || r.width === 0) return;
  const xs = [],
    zs = [];
  for (const p of data.pieces)
    for (const l of p.lines) {
      xs.push(l[0], l[2]);
      zs.push(l[1], l[3]);
    }
  for (const c of data.camera) {
    xs.push(c.x);
    zs.push(c.z);
  }
  // A camera that only turns has no extent of its own: ten metres are shown at the least.
  const span = (v) => {
    const low = v.length ? Math.min(...v) : -5,
      high = v.length ? Math.max(...v) : 5,
      more = Math.max(0, 10 - (high - low)) / 2;
    return [low - more, high + more];
  };
  const [minX, maxX] = span(xs),
    [minZ, maxZ] = span(zs);
  const tall = r.height > 300;
  // The low strip lies on its side, so that a long set fills it: north to the left.
  view = {
    tall,
    x: (minX + maxX) / 2,
    z: (minZ + maxZ) / 2,
    scale:
      0.92 *
      (tall ? Math.min(r.width / (maxX - minX), r.height / (maxZ - minZ)) : Math.min(r.width / (maxZ - minZ), r.height / (maxX - minX))),
    w: r.width,
    h: r.height,
  };
  const P = (x, z) =>
    tall
      ? [view.w / 2 + (x - view.x) * view.scale, view.h / 2 + (z - view.z) * view.scale]
      : [view.w / 2 + (z - view.z) * view.scale, view.h / 2 - (x - view.x) * view.scale];
  const M = (x, z) =>
    P(x, z)
      .map((v) => v.toFixed(1))
      .join(' ');
  const out = [];
  let grid = '';
  // A metre a line, or ten, or as many as leave it a drawing.
  const metre = 10 ** Math.max(0, Math.ceil(Math.log10(Math.max(maxX - minX, maxZ - minZ) / 120)));
  for (let x = Math.floor(minX / metre) * metre; x <= maxX + metre; x += metre)
    grid += `M${M(x, minZ - 30 * metre)}L${M(x, maxZ + 30 * metre)}`;
  for (let z = Math.floor(minZ / metre) * metre; z <= maxZ + metre; z += metre)
    grid += `M${M(minX - 30 * metre, z)}L${M(maxX + 30 * metre, z)}`;
  out.push(mark`<path d="${grid}" stroke="var(--hair)" stroke-opacity=".45" stroke-width=".6" fill="none"/>`);
  for (const p of data.pieces) {
    const d = p.lines.map((l) => `M${M(l[0], l[1])}L${M(l[2], l[3])}`).join('');
    const mine = p.id === state.chosen.piece;
    out.push(
      mark`<path data-piece="${p.id}" d="${d}" stroke="var(--ink)" stroke-width="${mine ? 2 : 0.7}" stroke-dasharray="${p.onlyBlocksLight ? '2 3' : null}" fill="none"/>`,
    );
  }
  // What no frame ever saw is hatched: a stroke for every spot of the set.
  if (state.step === 4 && state.neverSeen?.length)
    out.push(
      mark`<path data-never d="${state.neverSeen
        .map(([x, z]) => {
          const [a, b] = P(x, z);
          return `M${(a - 2.5).toFixed(1)} ${(b + 2.5).toFixed(1)}l5 -5`;
        })
        .join('')}" stroke="var(--ink)" stroke-opacity=".45" stroke-width=".7" fill="none"/>`,
    );
  if (data.camera.length) {
    out.push(
      mark`<path d="M${Array.from(data.camera, (c) => M(c.x, c.z)).join('L')}" stroke="var(--ink)" stroke-width="1.4" fill="none"/>`,
    );
    const c = data.camera.find((k) => k.frame === state.frame) || data.camera[0];
    const edge = (a) => M(c.x + 9 * Math.sin(c.heading + a), c.z - 9 * Math.cos(c.heading + a));
    out.push(
      mark`<path d="M${edge(-c.fov / 2)}L${M(c.x, c.z)}L${edge(c.fov / 2)}" stroke="var(--ink)" stroke-dasharray="5 4" stroke-width="1" fill="none"/>`,
    );
    const [cx, cy] = P(c.x, c.z);
    out.push(mark`<circle cx="${cx}" cy="${cy}" r="3.2" fill="var(--ink)"/>`);
  }
  for (const p of data.points || []) {
    const [x, y] = P(p.x, p.z);
    out.push(mark`<path d="M${x - 4} ${y}h3m2 0h3M${x} ${y - 4}v3m0 2v3" stroke="var(--quiet)" stroke-width="1"/>`);
  }
  for (const e of data.elements) {
    const [x, y] = P(e.x, e.z);
    out.push(
      mark`<g data-element="${e.id}" style="cursor:move"><circle cx="${x}" cy="${y}" r="${Math.max(4, e.radius * view.scale)}" fill="var(--green)" fill-opacity=".18" stroke="var(--green)" stroke-width="${e.id === state.chosen.element ? 2.6 : 1.6}"/><text x="${x + 10}" y="${y - 6}" font-size="11.5" font-family="Plex Mono" fill="var(--ink)" stroke="var(--sheet)" stroke-width="4" paint-order="stroke">${state.document.elements.find((k) => k.id === e.id)?.name ?? ''}</text></g>`,
    );
  }
  const sun = state.document.lights.find((l) => l.kind === 'Sun' && !l.off);
  if (sun) {
    // An arrow from the sun's side to the middle; its outer end turns the sun.
    const { direction } = lightAt(sun),
      k = Math.hypot(direction[0], direction[2]) || 1;
    const far = (tall ? Math.min(view.w, view.h) * 0.4 : view.h * 0.42) / view.scale;
    const ex = view.x + (direction[0] / k) * far,
      ez = view.z + (direction[2] / k) * far;
    out.push(
      mark`<path d="M${M(ex, ez)}L${M(view.x + (ex - view.x) * 0.55, view.z + (ez - view.z) * 0.55)}" stroke="var(--ink)" stroke-width="1.3"/>`,
    );
    const [sx, sy] = P(ex, ez);
    out.push(
      mark`<g data-sun style="cursor:move"><circle cx="${sx}" cy="${sy}" r="5.5" fill="var(--sheet)" stroke="var(--ink)" stroke-width="1.4"/><text x="${sx + 9}" y="${sy + 4}" font-size="11.5" font-family="Plex Mono" stroke="var(--sheet)" stroke-width="4" paint-order="stroke" fill="var(--ink)">sun</text></g>`,
    );
  }
  // Lamps that stand in the place, with a line to where they shine.
  for (const l of state.document.lights.filter((q) => !q.off && ['Point', 'Spot', 'Rectangle'].includes(q.kind))) {
    const stands = over.now?.lamps?.find((m) => m.id === l.id) ?? l,
      now = held?.lamp === l.id && held.to ? { ...stands, position: [held.to[0], 0, held.to[1]] } : stands,
      [lx, lz] = P(now.position[0], now.position[2]),
      mine = l.id === state.chosen.light ? 2 : 1.1;
    const aim = l.kind === 'Point' ? '' : `M${lx} ${lz}L${M(now.position[0] - now.direction[0], now.position[2] - now.direction[2])}`;
    out.push(
      mark`<g data-lamp="${l.id}" style="cursor:move"><path d="M${lx - 5} ${lz}a5 5 0 1 0 10 0a5 5 0 1 0 -10 0M${lx} ${lz - 8}v-4M${lx} ${lz + 8}v4M${lx - 8} ${lz}h-4M${lx + 8} ${lz}h4${aim}" fill="var(--sheet)" stroke="var(--ink)" stroke-width="${mine}"/><text x="${lx + 11}" y="${lz - 6}" font-size="11.5" font-family="Plex Mono" stroke="var(--sheet)" stroke-width="4" paint-order="stroke" fill="var(--ink)">${l.name}</text></g>`,
    );
  }
  const metres = 5 * metre,
    bar = metres * view.scale;
  out.push(
    mark`<path d="M${view.w - 20 - bar} ${view.h - 14}v-5v5h${bar}v-5" stroke="var(--ink)" fill="none"/><text x="${view.w - 20 - bar}" y="${view.h - 22}" font-size="11" font-family="Plex Mono">${metres} m</text>`,
  );
  out.push(
    tall
      ? mark`<path d="M${view.w - 24} 44V16l-5 9m5-9l5 9" stroke="var(--ink)" fill="none"/><text x="${view.w - 28}" y="56" font-size="11" font-family="Plex Mono">N</text>`
      : mark`<path d="M46 20H18l9-5m-9 5l9 5" stroke="var(--ink)" fill="none"/><text x="50" y="24" font-size="11" font-family="Plex Mono">N</text>`,
  );
  svg.replaceChildren(...out);
}

function world(e) {
  const r = svg.getBoundingClientRect();
  const a = e.clientX - r.left - view.w / 2,
    b = e.clientY - r.top - view.h / 2;
  return view.tall ? [view.x + a / view.scale, view.z + b / view.scale] : [view.x - b / view.scale, view.z + a / view.scale];
}

svg.addEventListener('pointerdown', (e) => {
  const element = e.target.closest('[data-element]')?.dataset.element;
  const piece = e.target.closest('[data-piece]')?.dataset.piece;
  if (element) held = { element };
  else if (e.target.closest('[data-lamp]')) {
    held = { lamp: e.target.closest('[data-lamp]').dataset.lamp };
    state.chosen.light = held.lamp;
    tell('chosen');
  } else if (e.target.closest('[data-sun]')) held = { sun: true };
  else if (piece && state.step === 3) {
    state.chosen.piece = piece;
    tell('chosen');
    const p = state.document.pieces.find((x) => x.id === piece);
    if (p?.locked || p?.hangsOn) return;
    held = { piece, from: world(e) };
  } else return;
  svg.setPointerCapture(e.pointerId);
});
const where = document.getElementById('under');
svg.addEventListener('pointerleave', () => {
  where.textContent = '';
});
svg.addEventListener('pointermove', (e) => {
  if (view) {
    const [x, z] = world(e);
    where.textContent = `x ${x.toFixed(2)} m  z ${z.toFixed(2)} m`;
  }
  if (!held) return;
  held.to = world(e);
  if (held.lamp) {
    draw();
    return;
  }
  if (held.element) {
    const m = data.elements.find((x) => x.id === held.element);
    [m.x, m.z] = held.to;
    draw();
  }
});
svg.addEventListener('pointerup', async () => {
  const h = held;
  held = null;
  if (!h?.to) return;
  if (h.element)
    await save((d) => {
      const { y } = data.elements.find((x) => x.id === h.element);
      return setAt(d, `elements/${h.element}/position`, kept(`elements/${h.element}`, [h.to[0], y, h.to[1]]));
    });
  if (h.lamp)
    await save((d) => {
      const l = over.now?.lamps?.find((x) => x.id === h.lamp) ?? d.lights.find((x) => x.id === h.lamp);
      return setAt(d, `lights/${h.lamp}/position`, kept(`lights/${h.lamp}`, [h.to[0], l.position[1], h.to[1]]));
    });
  if (h.piece && Math.hypot(h.to[0] - h.from[0], h.to[1] - h.from[1]) > 0.02) {
    await save((d) => {
      const m = d.pieces.find((x) => x.id === h.piece);
      m.position = [m.position[0] + h.to[0] - h.from[0], m.position[1], m.position[2] + h.to[1] - h.from[1]];
      return d;
    });
  }
  if (h.sun) {
    await save((d) => {
      const s = d.lights.find((l) => l.kind === 'Sun' && !l.off),
        now = lightAt(s).direction;
      const flat = Math.hypot(now[0], now[2]),
        a = Math.atan2(h.to[1] - view.z, h.to[0] - view.x);
      return setAt(d, `lights/${s.id}/direction`, [flat * Math.cos(a), now[1], flat * Math.sin(a)]);
    });
  }
});

on('document', refreshPlan);
for (const t of ['frame', 'chosen', 'way', 'plan', 'step']) on(t, draw);
addEventListener('resize', draw);
