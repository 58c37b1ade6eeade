// What lies at a pixel of the frame that is looked at.
import { get } from './api.js';
import { state, tell } from './state.js';
import { guarded, wordFault } from './told.js';

export const pickAny = (x, y) => get(`/api/shots/${state.id}/frames/${state.frame}/pixel?x=${x}&y=${y}&revision=${state.revision}`);

/** A spot of the set or of found depth; it is told where there is none. */
export async function pick(x, y) {
  const hit = await pickAny(x, y);
  if (!hit.point) throw wordFault('nothing-there');
  return hit;
}

/** A spot of a piece. */
export async function pickSet(x, y) {
  const hit = await pickAny(x, y);
  if (!hit.onSet) throw wordFault('nothing-there');
  return hit;
}

/** The piece there is chosen, or none. */
export const pickPiece = guarded(async ({ x, y }) => {
  state.chosen.piece = (await pickAny(x, y)).pieceId ?? null;
  tell('chosen');
});
