// The shot's frames as a ruled strip with one graph: the reading that was chosen last, over the range.
import { mark } from './marks.js';
import { get } from './api.js';
import { on, setFrame, state, tell } from './state.js';
import { modulesOf } from './modules.js';
import { playedAt } from './playing.js';
import { wakeFrames } from './reel.js';
import { words } from './told.js';

const svg = document.querySelector('#rail svg');
const at = document.getElementById('at');
const title = document.getElementById('rail-title');
const play = document.getElementById('play');

const span = () => {
  const { first, last } = state.document.range;
  return { first, last, x: (f) => 14 + ((f - first) / Math.max(1, last - first)) * (svg.getBoundingClientRect().width - 28) };
};

// Where one survey point is chosen at its step: its own error, frame by frame.
let residuals = [];
async function refreshResiduals() {
  const { revision } = state;
  try {
    residuals = state.document.surveyPoints.some((p) => p.clicks.length) ? await get(`/api/shots/${state.id}/residuals`) : [];
  } catch {
    residuals = [];
  }
  if (revision === state.revision) draw();
}
function pointReading() {
  const own =
    state.step === 2 && state.chosen.point ? residuals.filter((r) => r.point === state.chosen.point).sort((a, b) => a.frame - b.frame) : [];
  const whole = (state.readings || []).find((r) => r.id === 'camera.reprojection');
  return own.length
    ? {
        name: words('curve-point', { point: state.chosen.point }).message,
        unit: 'px',
        tolerance: whole?.tolerance ?? 1,
        perFrame: own.map((r) => ({ frame: r.frame, value: r.length })),
      }
    : null;
}

// Keys that are shown, and the one that is being pulled.
let keyDots = [],
  pulled = null;

// A free key's two handles: bars from it whose ends are pulled anywhere on their side.
function handles(k, x, y, cy) {
  const dot = keyDots.at(-1);
  return ['before', 'after'].flatMap((side) => {
    const h = pulled?.side === side && pulled.frame === k.frame ? pulled.handle : k[side],
      [hx, hy] = [x(k.frame + h.frames), Math.max(4, Math.min(76, y(k.value + h.value)))];
    keyDots.push({ ...dot, x: hx, y: hy, side, handle: h, own: k.value });
    return [
      mark`<path d="M${x(k.frame)} ${cy}L${hx.toFixed(1)} ${hy.toFixed(1)}" stroke="var(--ink)" stroke-width=".8"/>`,
      mark`<rect x="${hx - 3}" y="${hy - 3}" width="6" height="6" fill="var(--ink)" style="cursor:move"/>`,
    ];
  });
}

function draw() {
  if (!state.document) return;
  const { first, last, x } = span();
  const out = [];
  const base = 78;
  const every = last - first > 300 ? 60 : 12;
  for (let f = first; f <= last; f++) {
    const major = (f - first) % every === 0;
    if (!major && last - first > 400) continue;
    out.push(mark`<path d="M${x(f).toFixed(1)} ${base}v${major ? -12 : -5}" stroke="var(--ink)" stroke-width="${major ? 1 : 0.6}"/>`);
    // The frame that is looked at has its number on the ruler; another beside it would stand under that.
    if (major && Math.abs(x(f) + 16 - x(state.frame)) > 44)
      out.push(mark`<text x="${x(f) + 2}" y="${base + 13}" font-size="11" font-family="Plex Mono" fill="var(--quiet)">${f}</text>`);
  }
  out.push(mark`<path d="M0 ${base}h4000" stroke="var(--ink)" stroke-width=".8"/>`);
  // Handles are hatched along the ruler.
  const { cut } = state.document;
  for (const [a, b] of cut
    ? [
        [first, cut.first],
        [cut.last, last],
      ]
    : []) {
    let hatch = '';
    for (let at = x(a); at < x(b); at += 5) hatch += `M${at.toFixed(1)} ${base}l4 -7`;
    if (b > a) out.push(mark`<path d="${hatch}" stroke="var(--quiet)" stroke-width=".7" fill="none" data-handles/>`);
  }
  const readings = state.readings || [];
  const reading =
    pointReading() ||
    readings.find((r) => r.id === state.railReading) ||
    readings.find((r) => r.step === state.step && r.perFrame) ||
    readings.find((r) => r.perFrame);
  title.textContent = '';
  const camera = modulesOf(state.step).reduce((found, m) => found || m.curve?.(), null);
  keyDots = [];
  if (camera) {
    title.textContent = camera.name;
    const values = camera.curves.flatMap((c) => c.points.map((p) => p.value)),
      low = Math.min(...values),
      high = Math.max(...values, low + 1e-9);
    const y = (v) => 66 - ((v - low) / (high - low)) * 46;
    camera.curves.forEach((c, i) => {
      out.push(
        mark`<path d="M${c.points.map((p) => `${x(p.frame).toFixed(1)} ${y(p.value).toFixed(1)}`).join('L')}" fill="none" stroke="var(--ink)" stroke-width="1.2" stroke-dasharray="${[null, '6 3', '1.5 2.5'][i]}"/>`,
      );
    });
    // Keys are points of the curve that can be pulled up and down.
    for (const k of camera.keys || []) {
      const own = pulled?.frame === k.frame ? pulled.value : k.value,
        cy = Math.max(6, Math.min(74, y(own)));
      keyDots.push({
        frame: k.frame,
        x: x(k.frame),
        y: cy,
        value: (py) => low + ((66 - py) / 46) * (high - low || 1),
        least: camera.least ?? -Infinity,
        change: camera.change,
        turn: camera.turn,
      });
      out.push(
        mark`<circle cx="${x(k.frame)}" cy="${cy}" r="4.5" fill="var(--sheet)" stroke="var(--ink)" stroke-width="1.6" style="cursor:ns-resize"/>`,
      );
      if (k.free) out.push(...handles(k, x, y, cy));
    }
    // Frames that are in doubt: the more, the higher.
    for (const d of camera.doubts || [])
      out.push(
        mark`<path d="M${x(d.frame).toFixed(1)} ${base - 1}v${(-6 - 16 * d.much).toFixed(1)}" stroke="var(--red)" stroke-width="2.4" data-doubt="${d.frame}"/>`,
      );
    // Names at the ends, kept a line apart.
    let under = 0;
    for (const e of camera.curves.map((c) => ({ axis: c.axis, ...c.points.at(-1) })).sort((a, b) => b.value - a.value)) {
      under = Math.max(under + 12, y(e.value) - 3);
      out.push(
        mark`<text x="${x(e.frame) - 110}" y="${under}" font-size="11" font-family="Plex Mono" fill="var(--ink)" stroke="var(--paper)" stroke-width="3" paint-order="stroke">${e.axis} ${e.value.toFixed(2)}</text>`,
      );
    }
  } else if (reading?.perFrame) {
    title.textContent = words('curve-reading', reading).message;
    const top = Math.max(reading.tolerance * 1.15, ...reading.perFrame.map((p) => p.value)) || 1;
    const y = (v) => 66 - (v / top) * 42;
    out.push(mark`<path d="M0 ${y(reading.tolerance)}h4000" stroke="var(--red)" stroke-dasharray="5 4" stroke-width=".9"/>`);
    out.push(
      mark`<path d="M${reading.perFrame.map((p) => `${x(p.frame).toFixed(1)} ${y(p.value).toFixed(1)}`).join('L')}" fill="none" stroke="var(--ink)" stroke-width="1.3"/>`,
    );
    for (const p of reading.perFrame) out.push(mark`<circle cx="${x(p.frame)}" cy="${y(p.value)}" r="2" fill="var(--ink)"/>`);
    const w = reading.perFrame.reduce((a, b) => ((reading.over ? b.value < a.value : b.value > a.value) ? b : a));
    const says = `${Number.isInteger(w.value) ? w.value : w.value.toFixed(2)} at ${w.frame}`,
      left = Math.min(x(w.frame) + 6, x(last) - 130),
      foot = y(w.value) + (reading.over ? 13 : -3);
    out.push(mark`<text x="${left}" y="${foot}" font-size="11" font-family="Plex Mono" fill="var(--ink)">${says}</text>`);
  }
  out.push(mark`<path d="M${x(state.frame)} 16V${base}" stroke="var(--ink)" stroke-width="1.4"/>`);
  svg.replaceChildren(...out);
  if (document.activeElement !== at) at.value = state.frame;
  at.style.left = `${Math.max(28, Math.min(svg.getBoundingClientRect().width - 28, x(state.frame)))}px`;
}

const toFrame = (e) => {
  const { first, last } = span();
  const r = svg.getBoundingClientRect();
  return first + ((e.clientX - r.left - 14) / (r.width - 28)) * (last - first);
};
let held = false;
svg.addEventListener('pointerdown', (e) => {
  svg.setPointerCapture(e.pointerId);
  const r = svg.getBoundingClientRect(),
    dot = keyDots.find((k) => Math.hypot(k.x - (e.clientX - r.left), k.y - (e.clientY - r.top)) < 9);
  if (dot) {
    pulled = { ...dot, read: dot.value, value: dot.value(dot.y) };
    setFrame(dot.frame);
    return;
  }
  held = true;
  setFrame(toFrame(e));
});
svg.addEventListener('pointermove', (e) => {
  if (pulled?.side) {
    const away = toFrame(e) - pulled.frame;
    pulled.handle = {
      frames: pulled.side === 'before' ? Math.min(0, away) : Math.max(0, away),
      value: pulled.read(e.clientY - svg.getBoundingClientRect().top) - pulled.own,
    };
    pulled.moved = true;
    draw();
    return;
  }
  if (pulled) {
    pulled.value = Math.max(pulled.least, pulled.read(e.clientY - svg.getBoundingClientRect().top));
    pulled.moved = true;
    draw();
    return;
  }
  if (held) setFrame(toFrame(e));
});
svg.addEventListener('pointerup', async () => {
  held = false;
  const p = pulled;
  pulled = null;
  if (p?.moved) await (p.side ? p.turn(p.frame, p.side, p.handle) : p.change(p.frame, p.value));
});
at.addEventListener('change', () => {
  const f = Number(at.value);
  if (Number.isFinite(f)) setFrame(f);
  at.blur();
  draw();
});
at.addEventListener('keydown', (e) => {
  if (e.key === 'Enter') at.blur();
  e.stopPropagation();
});

// Frames by the clock, in a loop: one that comes late is left out, so that the rate stays the shot's.
let asked = null;
export function togglePlay() {
  if (asked !== null) {
    cancelAnimationFrame(asked);
    asked = null;
    state.playing = false;
    play.textContent = 'Play';
    tell('frame');
    return;
  }
  let since = performance.now(),
    from = state.frame,
    set = from;
  const tick = (now) => {
    const { rate, cut, range } = state.document,
      { first, last } = cut || range;
    // Somebody went elsewhere on the rail: on from there.
    if (state.frame !== set) [since, from] = [now, state.frame];
    set = playedAt(now - since, rate, first, last, from);
    if (set !== state.frame) setFrame(set);
    asked = requestAnimationFrame(tick);
  };
  state.playing = true;
  wakeFrames();
  play.textContent = 'Stop';
  asked = requestAnimationFrame(tick);
}
play.addEventListener('click', togglePlay);
for (const t of ['document', 'frame', 'step', 'readings', 'chosen', 'solve']) on(t, draw);
on('document', refreshResiduals);
addEventListener('resize', draw);
