// Layers of the frame that is looked at: one after another by a key, and what one holds under the pointer.
import { get } from './api.js';
import { state, tell } from './state.js';

const frames = () => `/api/shots/${state.id}/frames/${state.frame}`;
export const layerLooked = () => state.compare.match(/^layer(?:-wipe)?:(.+)$/)?.[1] ?? null;

let names = [],
  namesOf = '';
export async function nextLayer(by) {
  const of = `${frames()} ${state.revision}`;
  if (namesOf !== of) [names, namesOf] = [await get(`${frames()}/layers?revision=${state.revision}`), of];
  const way = state.compare.startsWith('layer-wipe') ? 'layer-wipe' : 'layer',
    at = names.indexOf(layerLooked());
  state.compare = `${way}:${names[at < 0 ? (by > 0 ? 0 : names.length - 1) : (at + by + names.length) % names.length]}`;
  tell('compare');
}

export async function layerAt({ x, y }) {
  const layer = layerLooked();
  if (!layer) return '';
  const { value } = await get(
    `${frames()}/layers/${encodeURIComponent(layer)}/pixel?x=${x.toFixed(1)}&y=${y.toFixed(1)}&revision=${state.revision}`,
  );
  return value === null ? '' : `  ${layer} ${value}`;
}
