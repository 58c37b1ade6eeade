// From a folder of frames to a frame handed over, by the API: node docs/frames-to-comp.mjs URL FRAMES CAMERA FOCAL SENSOR OUT
import { readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';

const [url, frames, camera, focal, sensor, out] = process.argv.slice(2);
async function ask(path, body, method = body ? 'POST' : 'GET') {
  const form = body instanceof FormData,
    headers = body && !form ? { 'content-type': 'application/json' } : {},
    answer = await fetch(url + path, { method, headers, body: form || !body ? body : JSON.stringify(body) });
  if (!answer.ok) throw new Error((await answer.json()).title);
  return path.startsWith('/api') ? answer.json() : Buffer.from(await answer.arrayBuffer());
}
function files(paths, fields = {}) {
  const form = new FormData();
  for (const p of paths) form.append('files', new Blob([readFileSync(p)]), basename(p));
  for (const [name, value] of Object.entries(fields)) form.append(name, value);
  return form;
}
const { id } = await ask('/api/shots', { production: 'Script', sequence: 'S', code: `S_${Date.now()}` });
const shot = `/api/shots/${id}`;
async function ended(job) {
  for (;;) {
    const now = (await ask(`${shot}/jobs`)).find((j) => j.id === job.id);
    if (!['waiting', 'running'].includes(now.state)) return now.state === 'done' ? now : Promise.reject(new Error(now.message));
    await new Promise((f) => setTimeout(f, 500));
  }
}
const plate = readdirSync(frames)
  .sort()
  .map((f) => join(frames, f));
await ended(await ask(`${shot}/plate`, files(plate, { first: 1001, sensorWidth: sensor, sensorHeight: (sensor * 9) / 16, focal })));
await ask(`${shot}/camera`, files([camera], { first: 1001 }));
const things = {
  pieces: { id: 'floor', name: 'Floor', kind: 'Plane', size: [20, 1, 20] },
  lights: { id: 'sun', name: 'Sun', kind: 'Sun', strength: 3 },
};
things.elements = { id: 'title', name: 'Title', kind: 'Lettering', position: [0, 0, -6], text: { text: 'LOW WATER', depthMetres: 0.1 } };
await ask(`${shot}/edits`, { edits: Object.entries(things).map(([at, item]) => ({ edit: 'add', at, item })) });
const job = await ended(await ask(`${shot}/render`, { first: 1001, last: 1001, formats: ['exr', 'png16'] }));
for (const f of JSON.parse(job.output).filter((n) => !n.includes('/'))) writeFileSync(join(out, f), await ask(`/renders/${job.id}/${f}`));
console.log(`shot ${id}: ${url}/shots/${id}`);
