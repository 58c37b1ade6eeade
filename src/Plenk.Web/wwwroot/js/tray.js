// The tray: what is under way, the first of it beside the head, all of it in the dialog.
import { html, post } from './api.js';
import { state, tell } from './state.js';

const dialog = document.getElementById('dialog');

// What is under way, as the server says it; null: nothing is.
export async function showTray(box, all) {
  if (all === null) {
    box.replaceChildren();
    return;
  }
  try {
    fillWith(box, await html(`/shots/${state.id}/parts/Tray?${all}`));
    for (const bar of box.querySelectorAll('[data-share]')) bar.style.width = `${bar.dataset.share}%`;
  } catch {
    /* the next look at it */
  }
}
export const fillWith = (box, text) => box.replaceChildren(...new DOMParser().parseFromString(text, 'text/html').body.childNodes);
export async function trayPressed(e) {
  if (e.target.dataset.stop) {
    await post(`/api/jobs/${e.target.dataset.stop}/stop`, {}).catch((f) => tell('told', f));
    if (dialog.open) await showTray(dialog.firstElementChild, 'all=1');
  }
  if (e.target.dataset.more !== undefined) {
    await showTray(dialog.firstElementChild, 'all=1');
    dialog.showModal();
  }
}
document.getElementById('tray').addEventListener('click', trayPressed);
