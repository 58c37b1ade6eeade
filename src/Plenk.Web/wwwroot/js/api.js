// Talks to the server. Errors carry the artist's terms, and what would mend them.

export class Fault extends Error {
  constructor(status, problem) {
    super(problem.title || `The server answered ${status}.`);
    this.status = status;
    this.mend = problem.mend || '';
    this.head = problem.head;
    this.at = problem.at; // the place of the document that is at fault
  }
}

async function answer(response) {
  if (response.ok) return response.status === 204 ? null : response.json();
  let problem = {};
  try {
    problem = await response.json();
  } catch {
    /* no body */
  }
  throw new Fault(response.status, problem);
}

async function send(path, init) {
  try {
    return await fetch(path, init);
  } catch (e) {
    if (e.name === 'AbortError') throw e;
    throw new Fault(0, { title: 'The server does not answer. Nothing was lost; try again in a moment.' });
  }
}

export const get = async (path, signal) => answer(await send(path, { signal }));
export const post = async (path, body, signal) =>
  answer(await send(path, { method: 'POST', signal, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }));
export const upload = async (path, form) => answer(await send(path, { method: 'POST', body: form }));

// A part of the page, drawn by the server.
export async function html(path, signal) {
  const response = await send(path, { signal, headers: { accept: 'text/html, application/problem+json' } });
  return response.ok ? response.text() : answer(response);
}

export async function picture(path, body, signal) {
  const response = await send(
    path,
    body ? { method: 'POST', signal, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) } : { signal },
  );
  if (!response.ok) return answer(response);
  const bitmap = await createImageBitmap(await response.blob()),
    noise = response.headers.get('X-Noise');
  // What is left of sampling noise, in shadow and on the element; other pictures do not say.
  if (noise) [bitmap.shadowNoise, bitmap.elementNoise] = noise.split(' ').map(Number);
  return bitmap;
}
