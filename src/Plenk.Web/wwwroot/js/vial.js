// A spirit-level vial: bubble centred within, off-centre near, at the end outside, dotted when there is nothing yet.
import { mark } from './marks.js';

export function vial(verdict) {
  const x = { within: 11, near: 16, outside: 20 }[verdict];
  const ink = verdict === 'outside' ? 'var(--red)' : 'var(--ink)';
  if (x === undefined)
    return mark`<svg class="vial" width="30" height="11" aria-hidden="true"><rect x=".5" y=".5" width="28" height="10" rx="5" fill="none" stroke="var(--quiet)" stroke-dasharray="2 2"/></svg>`;
  return mark`<svg class="vial" width="30" height="11" aria-hidden="true"><rect x=".5" y=".5" width="28" height="10" rx="5" fill="none" stroke="${ink}"/><path d="M10.5 .5v10M18.5 .5v10" stroke="${ink}"/><rect x="${x}" y="2.5" width="7" height="6" rx="3" fill="${ink}"/></svg>`;
}

export function fillVials(root = document) {
  for (const e of root.querySelectorAll('[data-vial]')) e.replaceChildren(vial(e.dataset.vial));
}
