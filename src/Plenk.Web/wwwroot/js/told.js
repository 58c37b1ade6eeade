// Messages of the page: what went wrong and what would mend it, what was found, what the hand does next. Their words stand in the page.
import { Fault } from './api.js';
import { tell } from './state.js';

const template = (id) => document.getElementById(id).content.firstElementChild.cloneNode(true);

// { message, mend, fine } or { notes, found }.
export function fillTold(m) {
  const box = template(m.notes ? (m.found ? 'told-found' : 'told-notes') : 'told-message');
  box.classList.toggle('fine', !!m.fine || !!m.notes);
  box.setAttribute('role', m.fine || m.notes ? 'status' : 'alert');
  if (m.notes) {
    for (const line of m.notes) box.querySelector('ul').append(Object.assign(document.createElement('li'), { textContent: line }));
    return box;
  }
  box.querySelector('p').textContent = m.message || String(m);
  if (m.mend) box.append(Object.assign(document.createElement('p'), { className: 'quiet', textContent: m.mend }));
  return box;
}
export const telling = (message) => ({ message, fine: true });

// The words of a name, values put where they are named in braces; null: there are none.
export function words(name, values = {}) {
  const said = document.querySelector(`#words [data-word="${CSS.escape(name)}"]`);
  if (!said) return null;
  const [message, mend] = [...said.children].map((p) => p.textContent.replace(/\{(\w+)\}/g, (_, k) => values[k] ?? ''));
  return { message, mend };
}
export const say = (name, values) => tell('told', { ...words(name, values), fine: true });
export function wordFault(name, values) {
  const { message, mend } = words(name, values);
  return new Fault(0, { title: message, mend });
}

// What an act throws is told.
export const guarded =
  (act) =>
  async (...args) => {
    try {
      return await act(...args);
    } catch (e) {
      tell('told', e);
      return null;
    }
  };
