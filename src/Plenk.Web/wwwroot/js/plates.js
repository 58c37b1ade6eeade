// The plate's frames as the browser shows them, each fetched once.
import { mediaOf, state, tell } from './state.js';

const most = 90;
const plates = new Map();

export function plateBitmap(frame) {
  const media = mediaOf(frame);
  if (!media) return null;
  const { plate, look = {} } = state.document,
    as =
      plate.encoding.toLowerCase() === 'srgb' && !plate.primaries && (state.seen === 'display' || state.seen === 'codes')
        ? ''
        : `${state.seen} ${JSON.stringify(look)} ${plate.encoding} ${plate.primaries ?? ''}`;
  const key = `${media} ${as}`;
  if (!plates.has(key)) {
    // While one plays frames come faster than their pictures: a save must not stand in line behind all of them.
    if (state.playing && [...plates.values()].filter((p) => p instanceof Promise).length >= 3) return null;
    if (plates.size > most) plates.delete(plates.keys().next().value);
    // As the codes are it comes straight from the media; through anything else the server shows it.
    const from = as
      ? `/api/shots/${state.id}/frames/${frame}/picture?kind=plate&seen=${state.seen}&revision=${state.revision}`
      : `/media/${media}`;
    plates.set(key, fetched(key, from));
  }
  const b = plates.get(key);
  return b instanceof Promise ? null : b;
}

async function fetched(key, from) {
  try {
    const r = await fetch(from);
    if (!r.ok) throw new Error('no picture');
    const bitmap = await createImageBitmap(await r.blob());
    plates.set(key, bitmap);
    tell('draw');
    return bitmap;
  } catch {
    plates.delete(key);
    return null;
  }
}
