// Messages of the page: what went wrong and what would mend it, or what was found. They are drawn from the page's own templates.
const template = (id) => document.getElementById(id).content.firstElementChild.cloneNode(true);

// { message, mend, fine } or { notes }.
export function fillTold(m) {
  const box = template(m.notes ? 'told-notes' : 'told-message');
  box.classList.toggle('fine', !!m.fine || !!m.notes);
  box.setAttribute('role', m.fine || m.notes ? 'status' : 'alert');
  if (m.notes) {
    for (const line of m.notes) box.querySelector('ul').append(Object.assign(document.createElement('li'), { textContent: line }));
    if (m.title) box.querySelector('p').textContent = m.title;
    return box;
  }
  box.querySelector('p').textContent = m.message || String(m);
  if (m.mend) box.append(Object.assign(document.createElement('p'), { className: 'quiet', textContent: m.mend }));
  return box;
}
export const telling = (message) => ({ message, fine: true });
