// Kinds of steps as the server describes them, and the fields of one drawn from that.
import { choice, number, triple } from './build.js';
import { matteChoices } from './mattes.js';
import { state } from './state.js';

export const kinds = JSON.parse(document.getElementById('step-kinds').textContent);
const byName = new Map(kinds.map((k) => [k.kind, k]));
export const kindOf = (step) => byName.get(step.kind ?? kinds[0].kind);
export const order = (step) => kinds.indexOf(kindOf(step));

export const at = (step, path) => path.split('.').reduce((value, key) => value?.[key], step);

export function put(step, path, value) {
  const keys = path.split('.'),
    last = keys.pop();
  keys.reduce((part, key) => (part[key] ??= {}), step)[last] = value;
}

export const lamps = () => state.document.lights.map((l) => [l.id, l.name || l.id]);

// A new step of a kind; what it must name of the shot is the first there is.
export function begun(kind, id) {
  const step = { ...structuredClone(kind.default), id, kind: kind.kind };
  for (const f of kind.fields) if (f.shape === 'Light' && !at(step, f.path)) put(step, f.path, state.document.lights[0]?.id ?? '');
  return step;
}

// What the document leaves out is as the kind begins.
export function field(step, f, edit) {
  const value = at(step, f.path) ?? at(kindOf(step).default, f.path),
    set = (v) => edit(f.label.toLowerCase(), (x) => put(x, f.path, v)),
    bounds = { min: f.min ?? undefined, max: f.max ?? undefined };
  switch (f.shape) {
    case 'Triple':
      return triple(f.label, value, f.unit, set, f.digits);
    case 'Light':
      return choice(f.label, value, lamps(), set);
    case 'Matte':
      return choice(f.label, value ?? '', [['', 'none'], ...matteChoices()], (v) => set(v || null));
    case 'NumberOrNone':
      return number(f.label, value ?? 0, f.unit, (v) => set(v > 0 ? v : null), bounds);
    default:
      return number(f.label, value, f.unit, set, bounds);
  }
}
