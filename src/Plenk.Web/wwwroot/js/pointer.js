// The pointer on the picture: moves and enlarges it, pulls the wipe, gives a press to the hand that waits for it or to the step's modules, and reads what is under it.
import { get } from './api.js';
import { modulesOf } from './modules.js';
import { over } from './over.js';
import { on, setHand, state, tell } from './state.js';
import { layerAt } from './layers.js';
import { box, moveTo, plateSize, toPixel, view, wiping, zoomBy } from './view.js';

const under = document.getElementById('under');
let grip = null;

const pan = (e) => {
  const [x, y] = [e.clientX - view.x, e.clientY - view.y];
  return { move: (_, now) => moveTo(now.clientX - x, now.clientY - y) };
};
const wipe = {
  move(p) {
    state.wipe = Math.max(0, Math.min(1, p.x / plateSize().w));
    tell('draw');
  },
};
const hover = (p) => modulesOf(state.step).forEach((m) => m.hover?.(p));

function take(e, p) {
  if (e.button === 1 || e.altKey) return pan(e);
  if (wiping() && Math.abs(p.x / plateSize().w - state.wipe) < 0.02) return wipe;
  if (state.hand) {
    const { hand } = state;
    setHand(null);
    // A hand that is moved on while it is pressed gives a grip too.
    const taken = hand(p);
    return taken?.move ? taken : null;
  }
  for (const m of modulesOf(state.step)) {
    const taken = m.press?.(p, over.now);
    if (taken) return taken === true ? null : taken;
  }
  return null;
}

box.addEventListener('pointerdown', (e) => {
  box.focus();
  grip = take(e, { ...toPixel(e), shift: e.shiftKey });
  if (grip) box.setPointerCapture(e.pointerId);
});
box.addEventListener('pointermove', (e) => {
  const p = toPixel(e);
  if (grip) {
    grip.move?.(p, e);
    return;
  }
  hover(p);
  read(p);
});
box.addEventListener('pointerup', (e) => {
  const g = grip;
  grip = null;
  g?.release?.(toPixel(e));
});
box.addEventListener('pointerleave', () => {
  under.textContent = '';
  hover(null);
});
box.addEventListener(
  'wheel',
  (e) => {
    e.preventDefault();
    zoomBy(1.2 ** (-e.deltaY / 100), e);
  },
  { passive: false },
);
on('step', () => hover(null));

let reading = false;
async function read({ x, y }) {
  const { w, h } = plateSize();
  if (reading) return;
  if (x < 0 || y < 0 || x >= w || y >= h || !state.document.plate) {
    under.textContent = '';
    return;
  }
  reading = true;
  try {
    const p = await get(
      `/api/shots/${state.id}/frames/${state.frame}/pixel?x=${x.toFixed(2)}&y=${y.toFixed(2)}&revision=${state.revision}`,
    );
    const f = (v) => v.toFixed(4).replace(/^0/, '');
    const layer = await layerAt({ x, y });
    const [r, g, b] = p.linear?.map(f) ?? [];
    under.textContent = [
      `x ${Math.floor(x)} y ${Math.floor(y)}`,
      p.linear ? `  R ${r} G ${g} B ${b}` : '',
      p.distance ? `  ${p.distance.toFixed(2)} m` : '',
      layer,
    ].join('');
  } catch {
    under.textContent = '';
  } finally {
    reading = false;
  }
}
