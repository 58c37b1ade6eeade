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

// From the world into a thing's own frame: the inverse of its placement, row by row.
function intoFrame(pose, [x, y, z]) {
  const d = [x - pose[3], y - pose[7], z - pose[11]];
  return [0, 1, 2].map((c) => pose[c] * d[0] + pose[4 + c] * d[1] + pose[8 + c] * d[2]);
}

/** A point of the world as the item keeps it: in the frame of the thing it hangs on, where it does. */
export function kept(item, point) {
  const hangs = over.now?.things?.find((t) => t.id === item?.hangsOn);
  return hangs ? intoFrame(hangs.pose, point) : point;
}

on('frame', refreshOver);
on('document', refreshOver);
