// Drawings over the picture: each module of the step draws its own with the same pen; they end where the picture ends.
import { mark } from './marks.js';
import { modulesOf } from './modules.js';
import { over } from './over.js';
import { on, state } from './state.js';
import { plateSize, view, wiping } from './view.js';

const overlay = document.getElementById('overlay');

/** What modules draw with: a place of the plate as path text or as two numbers, a line in white over black, words. */
const pen = {
  at: (x, y) => `${(x * view.zoom + view.x).toFixed(1)} ${(y * view.zoom + view.y).toFixed(1)}`,
  xy: (x, y) => pen.at(x, y).split(' ').map(Number),
  /** A path through x, y, x, y … of the plate. */
  path(p) {
    let d = `M${pen.at(p[0], p[1])}`;
    for (let i = 2; i < p.length; i += 2) d += `L${pen.at(p[i], p[i + 1])}`;
    return d;
  },
  both: (d, width, dash) =>
    mark`<path d="${d}" fill="none" stroke="#000" stroke-opacity=".55" stroke-width="${width + 1.6}" stroke-dasharray="${dash || null}"/><path d="${d}" fill="none" stroke="#fff" stroke-width="${width}" stroke-dasharray="${dash || null}"/>`,
  /** A thin white line for what stands behind the rest. */
  thin: (d, opacity, width, dash) =>
    mark`<path d="${d}" fill="none" stroke="#fff" stroke-opacity="${opacity}" stroke-width="${width}" stroke-dasharray="${dash || null}"/>`,
  label: (x, y, t) =>
    mark`<text x="${x}" y="${y}" font-size="11.5" font-family="Plex Mono" fill="#fff" stroke="#000" stroke-width="2.6" paint-order="stroke">${t}</text>`,
};

export function drawOverlay() {
  const { w, h } = plateSize(),
    parts = [],
    { worst } = state;
  if (!state.alone && !state.playing) for (const m of modulesOf(state.step)) if (m.draw) parts.push(...m.draw(pen, over.now));
  if (worst?.x !== null && worst?.x !== undefined && worst.frame === state.frame) {
    const [x, y] = pen.xy(worst.x, worst.y);
    parts.push(
      pen.both(`M${x} ${y}l26 -22h${8 + 7 * (worst.words || '').length}`, 1.2, ''),
      pen.label(x + 28, y - 26, worst.words || 'worst here'),
    );
  }
  if (wiping()) parts.push(pen.both(`M${pen.at(w * state.wipe, 0)}L${pen.at(w * state.wipe, h)}`, 1, ''));
  overlay.replaceChildren(
    mark`<clipPath id="frame"><rect x="${view.x}" y="${view.y}" width="${w * view.zoom}" height="${h * view.zoom}"/></clipPath><g clip-path="url(#frame)">${parts}</g>`,
  );
}
on('overlay', drawOverlay);
