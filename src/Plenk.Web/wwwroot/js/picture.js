// The picture: plate or comp on a canvas, overlays in SVG above it, zoom, and what the pointer does.
import { mark } from './marks.js';
import { get, picture } from './api.js';
import { doc, mediaOf, on, save, setHand, show, state, tell } from './state.js';
import { drawEdges, edgeNear, edges, pinEdge } from './edges.js';
import { draw as drawLevel } from './steps/camera.js';
import { drawLights, drawnOut, lampNear, renderedKind } from './steps/light.js';
import { pulledShadow } from './steps/sun.js';
import { drawPieces } from './steps/set.js';
import { setKeyed } from './keys.js';
import { drawStill, keepStill, stillNear } from './still.js';
import { drawThings, intoFrame, keepPins, pinNear } from './moving.js';
import { cornerNear, drawMattes, keyMatte, mattes } from './mattes.js';
import { draw as drawFinish } from './steps/finish.js';
import { draw as drawNotes } from './steps/handover.js';
import { pickAny } from './pick.js';
import { forgetFrames, keepFrames, keptFrame, keptOf } from './reel.js';
import { carryTrack, correctTrack, drawTracks, trackNear } from './tracks.js';

const box = document.getElementById('picture');
const canvas = document.getElementById('canvas');
const overlay = document.getElementById('overlay');
const under = document.getElementById('under');
const seen = document.getElementById('seen');
const plates = new Map();
let zoom = 1,
  panX = 0,
  panY = 0,
  fit = true;
let shown = null; // {bitmap, frame, way, quality}
let beside = null; // this revision's, where another lies over half of it
let over = null;
let serial = 0,
  awaited = false; // a picture that is being drawn, the plate stands for it
let flying = null;
let complained = false;

// One picture over a part of another, the border between them pulled by hand.
const wiping = () => ['wipe', 'version-wipe'].includes(state.compare);

const plateSize = () => ({ w: state.document?.plate?.width || 1280, h: state.document?.plate?.height || 720 });

export function plateBitmap(frame) {
  const media = mediaOf(frame);
  if (!media) return null;
  const { plate, look = {} } = state.document,
    as =
      plate.encoding.toLowerCase() === 'srgb' && !plate.primaries && (state.seen === 'display' || state.seen === 'codes')
        ? ''
        : `${state.seen} ${JSON.stringify(look)} ${plate.encoding} ${plate.primaries ?? ''}`;
  const key = `${media} ${as}`;
  if (!plates.has(key)) {
    // While one plays frames come faster than their pictures: a save must not stand in line behind all of them.
    if (state.playing && [...plates.values()].filter((p) => p instanceof Promise).length >= 3) return null;
    if (plates.size > 90) plates.delete(plates.keys().next().value);
    // As the codes are it comes straight from the media; through anything else the server shows it.
    const from = as
      ? `/api/shots/${state.id}/frames/${frame}/picture?kind=plate&seen=${state.seen}&revision=${state.revision}`
      : `/media/${media}`;
    plates.set(
      key,
      fetch(from)
        .then((r) => {
          if (!r.ok) throw new Error('no picture');
          return r.blob();
        })
        .then(createImageBitmap)
        .then((b) => {
          plates.set(key, b);
          draw();
          return b;
        })
        .catch(() => {
          plates.delete(key);
        }),
    );
  }
  const b = plates.get(key);
  return b instanceof Promise ? null : b;
}

function layout() {
  const { w, h } = plateSize();
  const r = box.getBoundingClientRect();
  if (fit) {
    zoom = Math.max(0.01, Math.min((r.width - 24) / w, (r.height - 20) / h));
    panX = (r.width - w * zoom) / 2;
    panY = (r.height - h * zoom) / 2;
  }
  const ratio = devicePixelRatio || 1;
  if (canvas.width !== Math.round(r.width * ratio) || canvas.height !== Math.round(r.height * ratio)) {
    canvas.width = Math.round(r.width * ratio);
    canvas.height = Math.round(r.height * ratio);
  }
}

export function toPixel(event) {
  const r = box.getBoundingClientRect();
  return { x: (event.clientX - r.left - panX) / zoom, y: (event.clientY - r.top - panY) / zoom };
}

export function toPage({ x, y }) {
  const r = box.getBoundingClientRect();
  return { x: r.left + panX + x * zoom, y: r.top + panY + y * zoom };
}

export function draw() {
  if (!state.document) return;
  layout();
  // While one plays, a frame that is not there yet leaves the one before it standing.
  if (state.playing && !keptFrame(state.frame) && !plateBitmap(state.frame)) return;
  const c = canvas.getContext('2d');
  const ratio = devicePixelRatio || 1;
  c.setTransform(1, 0, 0, 1, 0, 0);
  c.clearRect(0, 0, canvas.width, canvas.height);
  c.setTransform(ratio * zoom, 0, 0, ratio * zoom, ratio * panX, ratio * panY);
  c.imageSmoothingEnabled = zoom < 2;
  const { w, h } = plateSize();
  const plate = plateBitmap(state.frame);
  // Exposure is a factor on linear light: the filter works in linear RGB.
  canvas.style.filter = state.exposure || state.channel ? 'url(#view)' : '';
  const slope = 2 ** state.exposure;
  for (const f of document.querySelectorAll('#view [data-slope]')) f.setAttribute('slope', slope);
  const row = { R: '1 0 0 0 0', G: '0 1 0 0 0', B: '0 0 1 0 0' }[state.channel];
  document
    .querySelector('#view feColorMatrix')
    .setAttribute('values', row ? `${row} ${row} ${row} 0 0 0 1 0` : '1 0 0 0 0 0 1 0 0 0 0 0 1 0 0 0 0 0 1 0');
  const bitmap = state.playing ? keptFrame(state.frame) : shown?.frame === state.frame ? shown.bitmap : null;
  // What is covered all over need not be drawn.
  if (plate && (!bitmap || wiping() || state.compare === 'before')) c.drawImage(plate, 0, 0, w, h);
  if (state.compare === 'version-wipe' && beside?.frame === state.frame && !state.playing) c.drawImage(beside.bitmap, 0, 0, w, h);
  if (bitmap && state.compare !== 'before') {
    c.save();
    if (wiping()) {
      c.beginPath();
      c.rect(0, 0, w * state.wipe, h);
      c.clip();
    }
    c.drawImage(bitmap, 0, 0, w, h);
    c.restore();
  }
  if (!plate && !bitmap) {
    c.fillStyle = '#fff';
    c.font = `${15 / zoom}px Atkinson, sans-serif`;
    c.fillText(
      mediaOf(state.frame)
        ? `Frame ${state.frame} is on its way.`
        : state.document.plate
          ? `Frame ${state.frame} has no picture.`
          : 'There is no plate yet. Bring one in on the sheet at the right.',
      20,
      h / 2,
    );
  }
  drawOverlay();
  const ways = {
    before: 'plate',
    'grain-free': 'grain-free copy',
    after: 'comp',
    wipe: 'comp | plate',
    difference: 'comp − plate, ×4',
    projection: 'projected footage',
    'projection-difference': 'projection − plate, ×4',
    texels: 'texels to a pixel',
    stretch: 'stretch',
    source: 'which source',
    'own-colour': 'own colour',
    depth: 'found depth',
    'depth-difference': 'found depth against the set',
    rendered: 'rendered',
    relit: 'lit again',
    'set-lit': 'the set in these lights',
    'light-left': 'plate over the lit set',
    bare: 'comp before its steps',
    element: 'element alone',
    edges: 'edges of the comp',
    exposure: 'exposure, −6 to +4 stops about 0.18',
    lifted: 'blacks raised, colour × 3',
    version: `revision ${state.other}`,
    'version-wipe': `revision ${state.other} | this one`,
  };
  const own = document.getElementById('own-space').textContent.trim() || 'sRGB',
    { look = {} } = state.document;
  const names = {
    display: own === 'sRGB' ? 'sRGB' : `${own} to sRGB`,
    look: ['CDL', 'LUT'].filter((_, i) => [look.cdl, look.lutMedia][i]).join(' and ') || 'no look',
    curve: 'the contrast curve',
    codes: 'nothing: codes as they are',
  };
  const instead =
    state.compare === 'before' || (bitmap && (state.playing || shown.way === state.compare))
      ? ''
      : state.playing
        ? 'plate: this frame is not kept yet, of '
        : awaited
          ? `${bitmap ? 'what was there' : 'plate'} until it is drawn${state.picturesBefore ? `, ${state.picturesBefore} picture${state.picturesBefore === 1 ? '' : 's'} before it` : ''}: `
          : '';
  seen.textContent = !state.document.plate
    ? ''
    : `${instead}${ways[state.compare] ?? (state.compare.startsWith('without:') ? 'comp without one step' : state.compare.startsWith('alone:') ? 'comp with one step alone' : '')}${shown?.quality && !instead && !state.playing && state.compare !== 'before' ? ` · ${shown.quality}` : ''} · seen through ${names[state.seen]}${state.exposure ? ` · ${state.exposure > 0 ? '+' : ''}${state.exposure} stops` : ''}${state.channel ? ` · ${state.channel} only` : ''}`;
}

function drawOverlay() {
  const { w } = plateSize();
  const at = (x, y) => `${(x * zoom + panX).toFixed(1)} ${(y * zoom + panY).toFixed(1)}`;
  const path = (p) => {
    let d = `M${at(p[0], p[1])}`;
    for (let i = 2; i < p.length; i += 2) d += `L${at(p[i], p[i + 1])}`;
    return d;
  };
  const parts = [];
  const both = (d, width, dash) =>
    mark`<path d="${d}" fill="none" stroke="#000" stroke-opacity=".55" stroke-width="${width + 1.6}" stroke-dasharray="${dash || null}"/><path d="${d}" fill="none" stroke="#fff" stroke-width="${width}" stroke-dasharray="${dash || null}"/>`;
  const label = (x, y, t) =>
    mark`<text x="${x}" y="${y}" font-size="11.5" font-family="Plex Mono" fill="#fff" stroke="#000" stroke-width="2.6" paint-order="stroke">${t}</text>`;
  if (state.step === 2 && !state.alone && !state.playing)
    parts.push(
      ...drawTracks({ at, both, label }),
      ...drawStill({ at, both, label }),
      ...drawLevel({ at, both, label }),
      ...drawThings({ at, both, label }, over),
    );
  if ([4, 5, 6, 7].includes(state.step) && !state.alone && !state.playing)
    parts.push(
      ...drawMattes(
        { at, both },
        (state.document.mattes || []).filter((m) => m.id === state.chosen.matte),
      ),
    );
  if (!state.alone && !state.playing) {
    if (state.step === 7) parts.push(...drawFinish({ at, both, label }));
    if ([7, 8].includes(state.step)) parts.push(...drawNotes({ at, both, label }));
  }
  if (state.step === 3 && !state.alone && !state.playing) parts.push(...drawPieces({ at, both, label }), ...drawEdges({ at, both }));
  if (state.step === 5 && over && !state.alone && !state.playing) parts.push(...drawLights({ at, both, label }, over));
  if (held?.shadow && held.to) parts.push(both(`M${at(held.shadow.x, held.shadow.y)}L${at(held.to.x, held.to.y)}`, 1.6, '5 3'));
  if (over && !state.alone) {
    if (state.step === 2 && over.grid?.length)
      parts.push(mark`<path d="${over.grid.map(path).join('')}" fill="none" stroke="#fff" stroke-opacity=".65" stroke-width=".8"/>`);
    if (state.step === 2)
      for (const l of over.standIns || [])
        parts.push(
          l.h
            ? mark`<path d="${path(l.p)}" fill="none" stroke="#fff" stroke-opacity=".6" stroke-width=".8" stroke-dasharray="1 4"/>`
            : both(path(l.p), l.id === state.chosen.standIn ? 2.2 : 1.4, ''),
        );
    if (state.step === 3 && over.wire) {
      const chosen = over.pieces.indexOf(state.chosen.piece);
      const pick = (hidden, mine) =>
        over.wire
          .filter((l) => l.h === hidden && (l.i === chosen) === mine)
          .map((l) => path(l.p))
          .join('');
      parts.push(
        mark`<path d="${pick(true, false)}" fill="none" stroke="#fff" stroke-opacity=".5" stroke-width=".7" stroke-dasharray="1 4"/>`,
      );
      parts.push(mark`<path d="${pick(false, false)}" fill="none" stroke="#fff" stroke-opacity=".85" stroke-width=".8"/>`);
      if (chosen >= 0) parts.push(both(pick(true, true), 1.2, '2 4'), both(pick(false, true), 1.8, ''));
    }
    if (state.step === 2 || (state.step === 3 && state.page['points-open'])) {
      for (const p of over.points || []) {
        const q = p.click || p.seen;
        if (!q) continue;
        const [x, y] = at(...q)
          .split(' ')
          .map(Number);
        const heavy = (state.step === 2 ? p.name === state.chosen.point : state.chosen.points.includes(p.name)) ? 2.2 : 1.2;
        parts.push(both(`M${x - 9} ${y}h6m6 0h6M${x} ${y - 9}v6m0 6v6`, heavy, p.click ? '' : '1.5 1.5'), label(x + 7, y - 6, p.name));
        if (p.ellipse && state.step === 2) {
          // The solve's doubt there, one standard deviation, drawn 20 times as large like the residual.
          const [a, b, c] = p.ellipse,
            m = (a + c) / 2,
            k = Math.hypot((a - c) / 2, b),
            turn = (Math.atan2(2 * b, a - c) / 2) * (180 / Math.PI);
          const grow = 20 * zoom;
          parts.push(
            mark`<ellipse cx="${x}" cy="${y}" rx="${(Math.sqrt(Math.max(0, m + k)) * grow).toFixed(1)}" ry="${(Math.sqrt(Math.max(0, m - k)) * grow).toFixed(1)}" transform="rotate(${turn.toFixed(1)} ${x} ${y})" fill="none" stroke="#fff" stroke-width=".8"/>`,
          );
        }
        if (p.click && p.seen) {
          // The residual, drawn 20 times as long.
          const k = 20 * zoom;
          parts.push(both(`M${x} ${y}l${(p.seen[0] - p.click[0]) * k} ${(p.seen[1] - p.click[1]) * k}`, 1, ''));
        }
      }
    }
    if (state.step === 6) {
      for (const e of over.elements || []) {
        if (e.id !== state.chosen.element || !e.outline) continue;
        const [l, t, r, b] = e.outline;
        const s = 14 / zoom;
        parts.push(
          both(
            `M${at(l, t + s)}L${at(l, t)}L${at(l + s, t)}M${at(r - s, t)}L${at(r, t)}L${at(r, t + s)}M${at(r, b - s)}L${at(r, b)}L${at(r - s, b)}M${at(l + s, b)}L${at(l, b)}L${at(l, b - s)}`,
            1.8,
            '',
          ),
        );
      }
    }
  }
  const worst = state.worst;
  if (worst?.x !== null && worst?.x !== undefined && worst.frame === state.frame) {
    const [x, y] = at(worst.x, worst.y).split(' ').map(Number);
    parts.push(
      both(`M${x} ${y}l26 -22h${8 + 7 * (worst.words || '').length}`, 1.2, ''),
      label(x + 28, y - 26, worst.words || 'worst here'),
    );
  }
  if (wiping()) parts.push(both(`M${at(w * state.wipe, 0)}L${at(w * state.wipe, plateSize().h)}`, 1, ''));
  // Drawings end where the picture ends.
  const { h } = plateSize();
  overlay.replaceChildren(
    mark`<clipPath id="frame"><rect x="${panX}" y="${panY}" width="${w * zoom}" height="${h * zoom}"/></clipPath><g clip-path="url(#frame)">${parts}</g>`,
  );
}

// Pictures that are read by a scale, and what it says.
const coloured = {
  texels: 'dark ¼ and less, light 2 and more',
  stretch: 'light 1, dark 5 times and more',
  source: 'one shade a source',
  'own-colour': 'hatched: not to be trusted',
  depth: 'near is light',
  'depth-difference': 'light: found 10 % nearer than the set; dark: farther',
  'set-lit': 'each piece in the middle of its colour',
  'light-left': 'light: the plate is a stop brighter and more; dark: darker',
};

const served = () =>
  ({
    version: 'comp',
    'version-wipe': 'comp',
    'grain-free': 'grain-free',
    after: 'comp',
    wipe: 'comp',
    difference: 'difference',
    projection: 'projection',
    'projection-difference': 'projection-difference',
    texels: 'texels',
    stretch: 'stretch',
    source: 'source',
    'own-colour': 'own-colour',
    depth: 'depth',
    'depth-difference': 'depth-difference',
    'set-lit': 'set-lit',
    'light-left': 'light-left',
    rendered: renderedKind('rendered'),
    relit: renderedKind('relit'),
  })[state.compare] ?? (/^(bare|element|edges|exposure|lifted|(without|alone):.*)$/.test(state.compare) ? state.compare : undefined);

// What a draft has that the saved revision has not.
const changed = (draft) =>
  Object.fromEntries([
    ['revision', state.revision],
    ...['elements', 'lights', 'pieces']
      .filter((k) => JSON.stringify(draft[k]) !== JSON.stringify(state.document[k]))
      .map((k) => [k, draft[k]]),
  ]);

// Asks for the frame as it now is: coarse at once, then finer by itself.
export async function refresh() {
  const mine = ++serial;
  flying?.abort();
  awaited = false;
  box.dataset.quality = '';
  const kind = served();
  const d = doc();
  const of = state.compare.startsWith('version') ? state.other : state.revision,
    reel = `${of} ${kind} ${state.seen}`;
  if (keptOf() && !keptOf().startsWith(`${reel} `)) forgetFrames();
  if (!kind || !d?.plate || (!d.camera && kind !== 'grain-free')) {
    shown = null;
    draw();
    return;
  }
  if (
    ((kind === 'comp' || /^(bare|element|without)/.test(kind)) && d.elements.length === 0) ||
    ((kind.startsWith('projection') || ['texels', 'stretch', 'source'].includes(kind)) && !d.projections.some((p) => !p.off))
  ) {
    shown = null;
    draw();
    return;
  }
  if (state.playing) {
    // At the size of the picture on the page.
    const width = Math.min(d.plate.width, Math.ceil((d.plate.width * zoom * (devicePixelRatio || 1)) / 16) * 16),
      { first, last } = d.cut || d.range;
    keepFrames({
      key: `${reel} ${width}`,
      first,
      last,
      from: Math.min(last, Math.max(first, state.frame)),
      width,
      height: Math.round((width * d.plate.height) / d.plate.width),
      path: (frame, quality) =>
        `/api/shots/${state.id}/frames/${frame}/picture?kind=${encodeURIComponent(kind)}&width=${quality === 'draft' ? Math.min(480, width) : width}&quality=${quality}&seen=${state.seen}&revision=${of}`,
    });
    shown = null;
    draw();
    return;
  }
  flying = new AbortController();
  awaited = true;
  draw();
  const draft = state.draft;
  const path = (width, quality, revision = of) =>
    `/api/shots/${state.id}/frames/${state.frame}/${draft ? 'preview' : 'picture'}?kind=${encodeURIComponent(kind)}&width=${width}&quality=${quality}&seen=${state.seen}${draft ? '' : `&revision=${revision}`}`;
  const frame = state.frame;
  const steps =
    kind === 'grain-free'
      ? [[d.plate.width, 'full']]
      : draft
        ? [[480, 'draft']]
        : [
            [480, 'draft'],
            [d.plate.width, 'middle'],
            [d.plate.width, 'full'],
          ];
  for (const [width, quality] of steps) {
    if (quality === 'full' && (kind.startsWith('projection') || kind.startsWith('re') || kind in coloured)) break;
    // The finest takes seconds of every core: it waits until the hand rests.
    if (quality === 'full' && kind !== 'grain-free') {
      await new Promise((f) => {
        setTimeout(f, 1200);
      });
      if (mine !== serial) return;
    }
    try {
      const bitmap = await picture(path(width, quality), draft ? changed(draft) : null, flying.signal);
      if (mine !== serial) return;
      if (state.compare === 'version-wipe') {
        const own = await picture(path(width, quality, state.revision), null, flying.signal);
        if (mine !== serial) return;
        beside = { bitmap: own, frame };
      }
      shown = {
        bitmap,
        frame,
        way: state.compare,
        quality: kind === 'grain-free' ? '' : { draft: 'coarse, refining', middle: '4 samples, refining', full: '16 samples' }[quality],
      };
      if (bitmap.elementNoise !== undefined && quality !== 'draft')
        shown.quality += ` · noise left ${bitmap.shadowNoise.toFixed(3)} in shadow, ${bitmap.elementNoise.toFixed(3)} on the element`;
      if (kind.startsWith('projection') && quality === 'middle') shown.quality = '4 samples';
      if (kind.startsWith('re')) shown.quality = '';
      if (kind in coloured) shown.quality = coloured[kind];
      box.dataset.quality = quality;
      // Only what the picture itself complained of is over; a message of anybody else stays.
      if (complained) {
        complained = false;
        tell('told', null);
      }
      draw();
    } catch (e) {
      if (e.name === 'AbortError' || mine !== serial) return;
      shown = null;
      awaited = false;
      draw();
      complained = true;
      tell('told', e);
      return;
    }
  }
}

let overlaySerial = 0;
export async function refreshOverlay() {
  const mine = ++overlaySerial;
  if (!state.document?.plate || state.playing) {
    over = null;
    return;
  }
  try {
    const o = await get(`/api/shots/${state.id}/frames/${state.frame}/overlay?revision=${state.revision}`);
    if (mine !== overlaySerial) return;
    over = o;
    draw();
    const hidden = Object.fromEntries((o.elements || []).filter((e) => e.hiddenBy).map((e) => [e.id, e.hiddenBy]));
    if (JSON.stringify(hidden) !== JSON.stringify(state.hiddenBy || {})) {
      state.hiddenBy = hidden;
      if (state.step === 6) tell('chosen');
    }
  } catch {
    over = null;
  }
}

let asking = false;
async function read(x, y) {
  const { w, h } = plateSize();
  if (asking || x < 0 || y < 0 || x >= w || y >= h || !state.document.plate) {
    if (!asking) under.textContent = '';
    return;
  }
  asking = true;
  try {
    const p = await get(
      `/api/shots/${state.id}/frames/${state.frame}/pixel?x=${x.toFixed(2)}&y=${y.toFixed(2)}&revision=${state.revision}`,
    );
    const f = (v) => v.toFixed(4).replace(/^0/, '');
    under.textContent = `x ${Math.floor(x)} y ${Math.floor(y)}${p.linear ? `  R ${f(p.linear[0])} G ${f(p.linear[1])} B ${f(p.linear[2])}` : ''}${p.distance ? `  ${p.distance.toFixed(2)} m` : ''}`;
  } catch {
    under.textContent = '';
  } finally {
    asking = false;
  }
}

// A point of the world as the item keeps it: in the frame of the thing it hangs on, where it does.
export function kept(item, point) {
  const hangs = over?.things?.find((t) => t.id === item?.hangsOn);
  return hangs ? intoFrame(hangs.pose, point) : point;
}

let held = null;
box.addEventListener('pointerleave', () => {
  under.textContent = '';
});
box.addEventListener('pointerdown', async (e) => {
  box.focus();
  const p = toPixel(e);
  if (e.button === 1 || e.altKey) {
    held = { pan: [e.clientX - panX, e.clientY - panY] };
    box.setPointerCapture(e.pointerId);
    return;
  }
  if (wiping() && Math.abs(p.x / plateSize().w - state.wipe) < 0.02) {
    held = { wipe: true };
    box.setPointerCapture(e.pointerId);
    return;
  }
  if (state.hand) {
    const hand = state.hand;
    setHand(null);
    await hand(p);
    return;
  }
  if (state.step === 2 || (state.step === 3 && state.page['points-open'])) {
    // A survey point is chosen by its mark.
    const near = (over?.points || [])
      .map((q) => ({ q, at: q.click || q.seen }))
      .filter((q) => q.at)
      .map(({ q, at }) => ({ q, d: Math.hypot(at[0] - p.x, at[1] - p.y) * zoom }))
      .sort((a, b) => a.d - b.d)[0];
    if (near?.d < 14) {
      const c = state.chosen,
        name = near.q.name;
      if (state.step === 2) c.point = name;
      else c.points = c.points.includes(name) ? c.points.filter((n) => n !== name) : [...c.points, name];
      tell('chosen');
      return;
    }
  }
  if (state.step === 2) {
    const pin = pinNear(p, zoom);
    if (pin) {
      held = { pin };
      box.setPointerCapture(e.pointerId);
      return;
    }
    const end = stillNear(p, zoom);
    if (end) {
      held = { end };
      box.setPointerCapture(e.pointerId);
      return;
    }
    const corner = cornerNear(p, zoom);
    if (corner) {
      held = { corner };
      box.setPointerCapture(e.pointerId);
      return;
    }
    const track = trackNear(p, zoom);
    if (track || state.chosen.track) {
      state.chosen.track = track?.id ?? null;
      tell('chosen');
    }
    if (track) {
      held = { track: track.id, from: p };
      box.setPointerCapture(e.pointerId);
      return;
    }
  }
  if (state.step > 4 && state.chosen.matte) {
    const corner = cornerNear(p, zoom);
    if (corner) {
      held = { corner };
      box.setPointerCapture(e.pointerId);
      return;
    }
  }
  if (state.step === 5) {
    const lamp = state.page.pullShadow ? null : lampNear(over, p, zoom);
    if (!lamp && !state.page.pullShadow) return;
    if (lamp) {
      state.chosen.light = lamp.id;
      tell('chosen');
    }
    held = lamp ? { lamp, from: p } : { shadow: p };
    box.setPointerCapture(e.pointerId);
    return;
  }
  if (state.step === 4) {
    const corner = cornerNear(p, zoom);
    if (corner) {
      held = { corner };
      box.setPointerCapture(e.pointerId);
      return;
    }
    const hit = await pickAny(p.x, p.y).catch((fault) => {
      tell('told', fault);
      return {};
    });
    state.chosen.piece = hit.pieceId ?? null;
    tell('chosen');
    return;
  }
  if (state.step !== 3 && state.step !== 6) return;
  const pull = state.step === 3 ? edgeNear(p, zoom) : null;
  if (pull) {
    held = { pull };
    box.setPointerCapture(e.pointerId);
    return;
  }
  box.setPointerCapture(e.pointerId);
  const press = (held = {});
  let hit;
  try {
    hit = await pickAny(p.x, p.y);
  } catch (fault) {
    tell('told', fault);
    return;
  }
  if (state.step === 3) {
    state.chosen.piece = hit.pieceId ?? null;
  } else {
    state.chosen.element = hit.elementId ?? null;
  }
  tell('chosen');
  // An element is taken where it was touched: its foot keeps its distance from the pointer.
  const foot = over?.elements?.find((x) => x.id === hit.elementId)?.foot;
  if (state.step === 6 && hit.elementId && held === press)
    Object.assign(held, { element: hit.elementId, dx: foot ? foot[0] - p.x : 0, dy: foot ? foot[1] - p.y : 0, from: p });
  drag();
});

box.addEventListener('pointermove', async (e) => {
  const p = toPixel(e);
  if (held?.pan) {
    fit = false;
    panX = e.clientX - held.pan[0];
    panY = e.clientY - held.pan[1];
    draw();
    return;
  }
  if (held?.wipe) {
    state.wipe = Math.max(0, Math.min(1, p.x / plateSize().w));
    draw();
    return;
  }
  if (held?.track) {
    held.moved ||= Math.hypot(p.x - held.from.x, p.y - held.from.y) * zoom > 4;
    if (held.moved) {
      carryTrack(held.track, p);
      magnify(trackNear(p, zoom));
    }
    return;
  }
  if (held?.lamp || held?.shadow) {
    held.to = p;
    held.moved = true;
    draw();
    return;
  }
  if (held?.pull) {
    edges.pulled = { ...held.pull, to: p };
    held.moved = true;
    draw();
    return;
  }
  if (held?.pin) {
    held.pin.move(p);
    held.moved = true;
    draw();
    return;
  }
  if (held?.end) {
    held.end.move(p);
    held.moved = true;
    draw();
    return;
  }
  if (held?.corner) {
    const { matte, corners, i } = held.corner;
    [corners[i], corners[i + 1]] = [p.x, p.y];
    mattes.pulled = { matte, corners };
    held.moved = true;
    draw();
    return;
  }
  if (held) {
    held.to = p;
    drag();
    return;
  }
  magnify(state.step === 2 ? trackNear(p, zoom) : null);
  read(p.x, p.y);
});

// The plate around a track, enlarged, with what is known of it.
const lens = document.getElementById('lens');
function magnify(track) {
  const plate = track && plateBitmap(state.frame);
  lens.hidden = !plate;
  if (!plate) return;
  const c = lens.querySelector('canvas').getContext('2d'),
    side = 24;
  c.imageSmoothingEnabled = false;
  c.clearRect(0, 0, 144, 144);
  c.drawImage(plate, track.x - side / 2, track.y - side / 2, side, side, 0, 0, 144, 144);
  c.strokeStyle = '#fff';
  c.lineWidth = 1;
  c.beginPath();
  for (const [a, b] of [
    [0, 60],
    [84, 144],
  ]) {
    c.moveTo(a, 72);
    c.lineTo(b, 72);
    c.moveTo(72, a);
    c.lineTo(72, b);
  }
  c.stroke();
  lens.querySelector('p').textContent =
    `${track.id} · ${track.first}–${track.last}${track.rms === null ? '' : ` · ${track.rms.toFixed(2)} px`} · ${track.fate}`;
}
box.addEventListener('pointerleave', () => magnify(null));

// Follows the pointer as fast as answers come; always ends where it was last.
let dragging = false;
async function drag() {
  if (dragging) return;
  dragging = true;
  try {
    while (held?.element && held.to) {
      const p = held.to;
      held.to = null;
      if (!held.point && Math.hypot(p.x - held.from.x, p.y - held.from.y) * zoom < 3) continue;
      const hit = await pickAny(p.x + held.dx, p.y + held.dy);
      if (!hit.onSet || !held?.element) continue;
      const { element } = held,
        point = (held.point = kept(
          state.document.elements.find((x) => x.id === element),
          hit.onSet,
        ));
      show((d) => {
        setKeyed(
          d.elements.find((x) => x.id === element),
          'position',
          point,
        );
        return d;
      });
      await refresh();
    }
  } catch (fault) {
    tell('told', fault);
  } finally {
    dragging = false;
  }
}
box.addEventListener('pointerup', async () => {
  const h = held;
  held = null;
  if (h?.track && h.moved) {
    await correctTrack(h.track);
    return;
  }
  if (h?.lamp && h.moved) {
    await drawnOut(h.lamp, h.from, h.to);
    return;
  }
  if (h?.shadow && h.moved) {
    await pulledShadow({ x: h.shadow.x, y: h.shadow.y }, { x: h.to.x, y: h.to.y });
    return;
  }
  if (h?.pull) {
    if (h.moved) await pinEdge(h.pull, edges.pulled.to);
    edges.pulled = null;
    draw();
    return;
  }
  if (h?.pin && h.moved) {
    await keepPins();
    return;
  }
  if (h?.end && h.moved) {
    await keepStill();
    return;
  }
  if (h?.corner && h.moved) {
    await keyMatte(h.corner.matte, h.corner.corners);
    mattes.pulled = null;
    draw();
    return;
  }
  if (h?.element && h.point) {
    await save((d) => {
      setKeyed(
        d.elements.find((x) => x.id === h.element),
        'position',
        h.point,
      );
      return d;
    });
  }
});
box.addEventListener(
  'wheel',
  (e) => {
    e.preventDefault();
    const p = toPixel(e);
    const r = box.getBoundingClientRect();
    fit = false;
    zoom = Math.max(0.2, Math.min(32, zoom * 1.2 ** (-e.deltaY / 100)));
    panX = e.clientX - r.left - p.x * zoom;
    panY = e.clientY - r.top - p.y * zoom;
    draw();
  },
  { passive: false },
);

export function fitPicture() {
  fit = true;
  draw();
}
addEventListener('resize', draw);
on('frame', () => {
  refreshOverlay();
  refresh();
});
on('document', () => {
  refreshOverlay();
  refresh();
});
on('step', draw);
on('chosen', draw);
on('overlay', drawOverlay);
on('draw', draw);
on('jobs', () => {
  if (awaited) draw();
});
document.body.append(
  mark`<svg width="0" height="0" style="position:absolute" aria-hidden="true"><filter id="view" color-interpolation-filters="linearRGB"><feComponentTransfer><feFuncR data-slope type="linear" slope="1"/><feFuncG data-slope type="linear" slope="1"/><feFuncB data-slope type="linear" slope="1"/></feComponentTransfer><feColorMatrix values="1 0 0 0 0 0 1 0 0 0 0 0 1 0 0 0 0 0 1 0"/></filter></svg>`,
);
