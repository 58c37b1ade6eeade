// Where the picture stands on the page: how large, how far moved, and what pixel of the plate a place of the page is.
import { state, tell } from './state.js';

export const box = document.getElementById('picture');
export const view = { zoom: 1, x: 0, y: 0, fit: true };

export const plateSize = () => ({ w: state.document?.plate?.width || 1280, h: state.document?.plate?.height || 720 });

/** Fits the picture where it is to fit, and gives the box it stands in. */
export function layout() {
  const { w, h } = plateSize(),
    r = box.getBoundingClientRect();
  if (view.fit) {
    view.zoom = Math.max(0.01, Math.min((r.width - 24) / w, (r.height - 20) / h));
    view.x = (r.width - w * view.zoom) / 2;
    view.y = (r.height - h * view.zoom) / 2;
  }
  return r;
}

export function toPixel(event) {
  const r = box.getBoundingClientRect();
  return { x: (event.clientX - r.left - view.x) / view.zoom, y: (event.clientY - r.top - view.y) / view.zoom };
}

export function toPage({ x, y }) {
  const r = box.getBoundingClientRect();
  return { x: r.left + view.x + x * view.zoom, y: r.top + view.y + y * view.zoom };
}

/** One picture over a part of another, the border between them pulled by hand. */
export const wiping = () => /^(version-|layer-)?wipe/.test(state.compare);

/** The other part is drawn by the server too, not the plate. */
export const besideDrawn = () => /^(version|layer)-wipe/.test(state.compare);

/** How far apart two places of the plate are on the page. */
export const apart = (a, b) => Math.hypot(a.x - b.x, a.y - b.y) * view.zoom;

export function moveTo(x, y) {
  Object.assign(view, { fit: false, x, y });
  tell('draw');
}

export function zoomBy(factor, event) {
  const p = toPixel(event),
    r = box.getBoundingClientRect();
  view.zoom = Math.max(0.2, Math.min(32, view.zoom * factor));
  moveTo(event.clientX - r.left - p.x * view.zoom, event.clientY - r.top - p.y * view.zoom);
}

export function fitPicture() {
  view.fit = true;
  tell('draw');
}
