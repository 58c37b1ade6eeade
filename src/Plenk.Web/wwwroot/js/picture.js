// The picture: plate and comp on a canvas, one over the other, seen through what is chosen; what it is stands in its corner.
import { comp } from './comp.js';
import { drawOverlay } from './overlay.js';
import { plateBitmap } from './plates.js';
import { keptFrame } from './reel.js';
import { mediaOf, on, state } from './state.js';
import { words } from './told.js';
import { besideDrawn, layout, plateSize, view, wiping } from './view.js';
import './pointer.js';

const canvas = document.getElementById('canvas'),
  seen = document.getElementById('seen'),
  filter = document.getElementById('view');
const rows = { R: '1 0 0 0 0', G: '0 1 0 0 0', B: '0 0 1 0 0' };

// Exposure is a factor on linear light: the filter works in linear RGB.
function seeThrough() {
  canvas.style.filter = state.exposure || state.channel ? 'url(#view)' : '';
  for (const f of filter.querySelectorAll('[data-slope]')) f.setAttribute('slope', 2 ** state.exposure);
  const row = rows[state.channel];
  filter
    .querySelector('feColorMatrix')
    .setAttribute('values', row ? `${row} ${row} ${row} 0 0 0 1 0` : `${rows.R} ${rows.G} ${rows.B} 0 0 0 1 0`);
}

function canvasOf({ width, height }) {
  const ratio = devicePixelRatio || 1,
    [w, h] = [Math.round(width * ratio), Math.round(height * ratio)];
  if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h });
  const c = canvas.getContext('2d');
  c.setTransform(1, 0, 0, 1, 0, 0);
  c.clearRect(0, 0, w, h);
  c.setTransform(ratio * view.zoom, 0, 0, ratio * view.zoom, ratio * view.x, ratio * view.y);
  c.imageSmoothingEnabled = view.zoom < 2;
  return c;
}

export function draw() {
  if (!state.document) return;
  const room = layout(),
    { w, h } = plateSize(),
    plate = plateBitmap(state.frame),
    bitmap = state.playing ? keptFrame(state.frame) : comp.shown?.frame === state.frame ? comp.shown.bitmap : null,
    { beside } = comp;
  // While one plays, a frame that is not there yet leaves the one before it standing.
  if (state.playing && !bitmap && !plate) return;
  const c = canvasOf(room);
  seeThrough();
  // What is covered all over need not be drawn.
  if (plate && (!bitmap || wiping() || state.compare === 'before')) c.drawImage(plate, 0, 0, w, h);
  if (besideDrawn() && beside?.frame === state.frame && !state.playing) c.drawImage(beside.bitmap, 0, 0, w, h);
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
  if (!plate && !bitmap && state.document.plate) {
    c.fillStyle = '#fff';
    c.font = `${15 / view.zoom}px Atkinson, sans-serif`;
    c.fillText(words(mediaOf(state.frame) ? 'frame-comes' : 'frame-missing', { frame: state.frame }).message, 20, h / 2);
  }
  drawOverlay();
  seen.textContent = state.document.plate ? whatIsSeen(bitmap) : '';
}

// A way's own words, or those of its kind: one step alone, comp without one.
const wayWords = () =>
  words(`way-${state.compare.split(':')[0]}`, { revision: state.other, layer: state.compare.split(':')[1] })?.message ?? '';

function whatIsSeen(bitmap) {
  const own = document.getElementById('own-space').textContent.trim() || 'sRGB',
    { look = {} } = state.document,
    before = state.picturesBefore,
    { shown } = comp;
  let instead = '';
  if (state.compare !== 'before' && !(bitmap && (state.playing || shown.way === state.compare))) {
    if (state.playing) instead = words('instead-playing').message;
    else if (comp.awaited)
      instead = words(bitmap ? 'instead-old' : 'instead-plate', {
        before: before ? words(before === 1 ? 'before-one' : 'before-many', { n: before }).message : '',
      }).message;
  }
  const looks = [look.cdl && 'CDL', look.lutMedia && 'LUT'].filter(Boolean).join(' + ');
  return [
    [instead, wayWords()].filter(Boolean).join(' '),
    !instead && !state.playing && state.compare !== 'before' && shown?.quality,
    words(`seen-${state.seen === 'display' && own !== 'sRGB' ? 'space' : state.seen}`, { own, looks }).message,
    state.exposure && words('stops', { stops: `${state.exposure > 0 ? '+' : ''}${state.exposure}` }).message,
    state.channel && words('only', { channel: state.channel }).message,
  ]
    .filter(Boolean)
    .join(' · ');
}

addEventListener('resize', draw);
for (const t of ['step', 'chosen', 'draw']) on(t, draw);
on('jobs', () => {
  if (comp.awaited) draw();
});
