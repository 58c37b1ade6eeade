// What of the shot lies over this frame: wires, points, lamps, outlines, asked of the server once for each frame and revision.
import { get } from './api.js';
import { on, state, tell } from './state.js';

export const over = { now: null };

let asked = 0;
export async function refreshOver() {
  const mine = ++asked;
  if (!state.document?.plate || state.playing) {
    over.now = null;
    return;
  }
  try {
    const o = await get(`/api/shots/${state.id}/frames/${state.frame}/overlay?revision=${state.revision}`);
    if (mine !== asked) return;
    over.now = o;
    tell('draw');
    const hidden = Object.fromEntries((o.elements || []).filter((e) => e.hiddenBy).map((e) => [e.id, e.hiddenBy]));
    if (JSON.stringify(hidden) !== JSON.stringify(state.hiddenBy || {})) {
      state.hiddenBy = hidden;
      if (state.step === 6) tell('chosen');
    }
  } catch {
    over.now = null;
  }
}

/** A point of the world as what stands at a place of the document keeps it: in the frame of what it hangs on, where it does. */
export function kept(at, [x, y, z]) {
  const m = over.now?.hung?.find((h) => h.at === at)?.into;
  return m ? [0, 4, 8].map((r) => m[r] * x + m[r + 1] * y + m[r + 2] * z + m[r + 3]) : [x, y, z];
}

on('frame', refreshOver);
on('document', refreshOver);
