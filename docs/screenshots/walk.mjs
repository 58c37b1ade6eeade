// The walk that takes the pictures: what is looked at, and what is pressed before.
import { writeFileSync } from 'node:fs';

const [url, driver, ...only] = process.argv.slice(2);
const ask = async (method, path, body) => {
  const { value } = await (await fetch(driver + path, { method, body: body && JSON.stringify(body) })).json();
  if (value?.error) throw new Error(value.message);
  return value;
};
const rest = (ms) =>
  new Promise((f) => {
    setTimeout(f, ms);
  });
const press = (text) => `[...document.querySelectorAll('button, a')].find((b) => b.textContent.trim() === '${text}').click();`;
const open = (fold) => `document.querySelector('[data-fold=${fold}] summary').click();`;
// name: shot (by code, null: a page of none), address, what is pressed, what the picture waits for (seconds); several one after the other
const views = {
  front: [null, '', '', 4],
  shelf: [null, 'shelf', '', 4],
  plate: ['BTH_0040', 'step=1&frame=1036', '', 8],
  camera: ['BTH_0040', 'step=2&frame=1036&point=F2', '', 12],
  solve: ['BTH_0050', 'step=2&frame=1030', press('Track the plate'), 60, press('Solve the camera'), 60],
  still: ['BTH_0060', 'step=2', '', 12],
  set: ['BTH_0040', 'step=3&frame=1036&piece=floor', '', 12],
  projection: ['BTH_0040', 'step=4&frame=1060', press('Projected'), 30],
  around: ['BTH_0040', 'step=4&frame=1036', press('Around'), 20],
  light: ['BTH_0040', 'step=5&frame=1036&light=sun', open('find-sun') + press('By fit at 1036'), 90],
  contact: ['BTH_0040', 'step=6&frame=1036&element=bell', '', 90],
  breaking: ['BTH_0100', 'step=6&frame=1022&element=weight', '', 240],
  stitch: ['BTH_0070', 'step=4', press('Projected'), 40],
  people: ['BTH_0080', 'step=6', open('people'), 60],
  finish: ['BTH_0040', 'step=7&frame=1036&finish=grain_1', open('finish-scopes'), 90],
  handover: ['BTH_0040', 'step=8&frame=1036', '', 60],
  ledger: ['BTH_0040', 'step=6&frame=1036', `document.getElementById('ledger').click();`, 20],
};
const shots = await (await fetch(`${url}/api/shots`)).json(),
  chrome = { args: ['--headless=new', '--no-sandbox', '--window-size=1280,943', '--hide-scrollbars', '--force-device-scale-factor=1'] },
  { sessionId } = await ask('POST', '/session', { capabilities: { alwaysMatch: { 'goog:chromeOptions': chrome } } });
try {
  for (const [name, [code, address, ...acts]] of Object.entries(views)) {
    if (only.length && !only.includes(name)) continue;
    const id = shots.find((s) => s.code === code)?.id;
    await ask('POST', `/session/${sessionId}/url`, { url: code ? `${url}/shots/${id}?${address}` : `${url}/${address}` });
    await rest(4000);
    for (let i = 0; i < acts.length; i += 2) {
      if (acts[i]) await ask('POST', `/session/${sessionId}/execute/sync`, { script: acts[i], args: [] });
      await rest(1000 * acts[i + 1]);
    }
    writeFileSync(new URL(`${name}.png`, import.meta.url), Buffer.from(await ask('GET', `/session/${sessionId}/screenshot`), 'base64'));
    console.log(name);
  }
} finally {
  await ask('DELETE', `/session/${sessionId}`);
}
