// Values that are keyed over frames: of anything by its curve, of figures and mattes by keys of their own.
import { put } from './edits.js';
import { state } from './state.js';

export const has = (v) => v !== null && v !== undefined;
export const byFrame = (a, b) => a.frame - b.frame;

// A number or a list of them at a frame: straight between keys, held before the first and after the last. Undefined where none is keyed.
export function straightAt(keys, name, frame = state.frame) {
  const own = (keys || []).filter((k) => has(k[name])).sort(byFrame);
  const a = own.findLast((k) => k.frame <= frame) || own[0],
    b = own.find((k) => k.frame >= frame) || own.at(-1);
  if (!own.length || a.frame === b.frame) return a?.[name];
  const t = (frame - a.frame) / (b.frame - a.frame),
    mix = (u, v) => u + t * (v - u);
  return typeof a[name] === 'number' ? mix(a[name], b[name]) : a[name].map((v, i) => mix(v, b[name][i]));
}

// The key of this frame, made where there is none. `made` is what a new one begins with.
export function keyHere(x, made = {}, frame = state.frame) {
  x.keys ||= [];
  let k = x.keys.find((q) => q.frame === frame);
  if (!k) {
    k = { frame, ...made };
    x.keys.push(k);
    x.keys.sort(byFrame);
  }
  return k;
}

// A value at a place of the document: where it is keyed over frames, it becomes a key of this one.
export function setAt(d, at, value) {
  const curve = (d.curves || []).find((c) => c.id === at);
  if (!curve) return put(d, at, value);
  keyHere(curve)[Array.isArray(value) ? 'triple' : 'value'] = value;
  return d;
}
export const isKeyed = (start) => (state.document.curves || []).some((c) => c.id.startsWith(start));

// What the rail shows of keys that run straight between frames: `of` reads a number off a value, `change` takes it back.
export function straightCurve(name, keys, key, of, change) {
  const own = (keys || []).filter((k) => has(k[key]));
  if (!own.length) return null;
  const { first, last } = state.document.range,
    points = [];
  for (let f = first; f <= last; f++) points.push({ frame: f, value: of(straightAt(keys, key, f)) });
  return { name, curves: [{ axis: '', points }], keys: own.map((k) => ({ frame: k.frame, value: of(k[key]) })), change };
}
