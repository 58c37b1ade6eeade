// Survey points on the picture: a cross where one was clicked or is seen, its residual and the solve's doubt; chosen by their marks.
import { mark } from './marks.js';
import { state, tell } from './state.js';
import { apart, view } from './view.js';

const grown = 20; // residual and doubt are drawn so many times as large
const seen = () => state.step === 2 || state.page['points-open'] !== undefined;
const isChosen = (p) => (state.step === 2 ? p.name === state.chosen.point : state.chosen.points.includes(p.name));

function doubt([a, b, c], x, y) {
  const m = (a + c) / 2,
    k = Math.hypot((a - c) / 2, b),
    turn = (Math.atan2(2 * b, a - c) / 2) * (180 / Math.PI),
    radius = (v) => (Math.sqrt(Math.max(0, v)) * grown * view.zoom).toFixed(1);
  return mark`<ellipse cx="${x}" cy="${y}" rx="${radius(m + k)}" ry="${radius(m - k)}" transform="rotate(${turn.toFixed(1)} ${x} ${y})" fill="none" stroke="#fff" stroke-width=".8"/>`;
}

export function draw({ xy, both, label }, over) {
  const parts = [];
  if (!seen()) return parts;
  for (const p of over?.points || []) {
    const q = p.click || p.seen;
    if (!q) continue;
    const [x, y] = xy(...q);
    parts.push(
      both(`M${x - 9} ${y}h6m6 0h6M${x} ${y - 9}v6m0 6v6`, isChosen(p) ? 2.2 : 1.2, p.click ? '' : '1.5 1.5'),
      label(x + 7, y - 6, p.name),
    );
    if (p.ellipse && state.step === 2) parts.push(doubt(p.ellipse, x, y));
    if (p.click && p.seen) {
      const k = grown * view.zoom;
      parts.push(both(`M${x} ${y}l${(p.seen[0] - p.click[0]) * k} ${(p.seen[1] - p.click[1]) * k}`, 1, ''));
    }
  }
  return parts;
}

export function press(p, over) {
  if (!seen()) return null;
  const near = (over?.points || [])
    .filter((q) => q.click || q.seen)
    .map((q) => {
      const [x, y] = q.click || q.seen;
      return { q, d: apart({ x, y }, p) };
    })
    .sort((a, b) => a.d - b.d)[0];
  if (!(near?.d < 14)) return null;
  const c = state.chosen,
    { name } = near.q;
  if (state.step === 2) c.point = name;
  else c.points = c.points.includes(name) ? c.points.filter((n) => n !== name) : [...c.points, name];
  tell('chosen');
  return true;
}
