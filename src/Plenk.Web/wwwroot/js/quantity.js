// Numbers with units as they are typed and shown; the server reads them in the same way (Sheets/Quantity.cs).

const units = {
  m: { m: 1, cm: 0.01, mm: 0.001, km: 1000, ft: 0.3048, in: 0.0254 },
  mm: { mm: 1, cm: 10, m: 1000, in: 25.4 },
  '°': { '°': 1, deg: 1, rad: 180 / Math.PI },
  px: { px: 1 },
};

export function parseNumber(text, unit) {
  const match = /^\s*([+\-−]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)\s*([a-z°%]*)\s*$/i.exec(text.replace('−', '-'));
  if (!match) return NaN;
  const value = Number(match[1]),
    typed = match[2].toLowerCase();
  if (!typed) return value;
  const factor = (units[unit] || {})[typed];
  return factor === undefined ? NaN : value * factor;
}

// Texts that stand for something; undefined: this one does not.
export const texts = {
  text: (v) => v,
  choice: (v) => v,
  json: (v) => JSON.parse(v),
  rate(v) {
    const [, n, d = '1'] = /^(\d+)(?:\s*\/\s*(\d+))?$/.exec(v) || [];
    return n > 0 && d > 0 ? { num: Number(n), den: Number(d) } : undefined;
  },
  frame: (v) => (/^-?\d+$/.test(v) ? Number(v) : undefined),
  curve(v) {
    const points = v
      .split(/\s+/)
      .filter(Boolean)
      .map((p) => p.split(':').map(Number));
    if (points.length === 1 || points.some((p) => p.length !== 2 || p.some(Number.isNaN))) return undefined;
    return points.length ? points.map(([i, o]) => ({ in: i, out: o })) : null;
  },
};
