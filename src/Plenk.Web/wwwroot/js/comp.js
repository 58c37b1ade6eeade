// What the server makes of the frame that is looked at: coarse at once, then finer by itself; the range fills in while the hand rests,
// and while one plays.
import { picture } from './api.js';
import { doc, on, state, tell } from './state.js';
import { words } from './told.js';
import { forgetFrames, holdFrame, keepFrames, keptFrame, keptOf, restFrames } from './reel.js';
import { besideDrawn, box, view } from './view.js';

// shown: { bitmap, frame, way, quality }; beside: this revision's, where another lies over half of it; awaited: it is being drawn.
export const comp = { shown: null, beside: null, awaited: false };
const draft = 480, // px wide, at once
  rest = 1200; // ms that the hand rests before the finest is asked for: it takes seconds of every core
let serial = 0,
  flying = null,
  complained = false;

// What the server calls the picture of a way of comparing, where it has another name.
const other = { version: 'comp', 'version-wipe': 'comp', after: 'comp', wipe: 'comp' };
const served = () => {
  const way = state.compare;
  if (way === 'before') return undefined;
  return other[way] ?? way.replace(/^layer-wipe/, 'layer');
};
const ofElements = (kind) => kind === 'comp' || /^(bare|element|without)/.test(kind);
const ofProjections = (kind) => kind.startsWith('projection') || ['texels', 'stretch', 'source'].includes(kind);
const isRead = (kind) => words(`scale-${kind}`) !== null;
const hasFinest = (kind) => !ofProjections(kind) && !kind.startsWith('re') && !isRead(kind);
const ofPlate = (kind) => ['grain-free', 'clean', 'given'].includes(kind);
const showsPlate = (d) => (d.background ?? 'Plate') === 'Plate' && !d.pieces.some((p) => !p.off && p.duties?.seen);
const nothingToSee = (kind, d) =>
  !kind ||
  !d?.plate ||
  (!d.camera && !ofPlate(kind)) ||
  (ofElements(kind) && d.elements.length === 0 && showsPlate(d)) ||
  (ofProjections(kind) && !d.projections.some((p) => !p.off));

// What a draft has that the saved revision has not.
const changed = (own) =>
  Object.fromEntries([
    ['revision', state.revision],
    ...['elements', 'lights', 'pieces', 'curves']
      .filter((k) => JSON.stringify(own[k]) !== JSON.stringify(state.document[k]))
      .map((k) => [k, own[k]]),
  ]);

function steps(kind, width) {
  if (ofPlate(kind)) return [[width, 'full']];
  if (state.draft) return [[draft, 'draft']];
  const finest = hasFinest(kind) && document.body.dataset.finest === 'full' ? [[width, 'full']] : [];
  return [[draft, 'draft'], [width, 'middle'], ...finest];
}

function said(kind, quality, bitmap) {
  if (isRead(kind)) return words(`scale-${kind}`).message;
  if (ofPlate(kind) || kind.startsWith('re')) return '';
  const said = words(`quality-${kind.startsWith('projection') && quality === 'middle' ? 'four' : quality}`).message;
  return bitmap.elementNoise !== undefined && quality !== 'draft'
    ? `${said} · ${words('noise-left', { shadow: bitmap.shadowNoise.toFixed(3), element: bitmap.elementNoise.toFixed(3) }).message}`
    : said;
}

function stand(shown) {
  comp.shown = shown;
  holdFrame(shown?.bitmap ?? null);
  tell('draw');
}

// Frames of the range to be kept: drafts of half the plate's size; while it plays, then finer ones at the size of the picture on the page.
function keep(kind, reel, of, d, playing) {
  const half = Math.min(d.plate.width, Math.max(draft, Math.min(960, Math.round(d.plate.width / 2)))),
    width = playing ? Math.min(d.plate.width, Math.ceil((d.plate.width * view.zoom * (devicePixelRatio || 1)) / 16) * 16) : half,
    { first, last } = d.cut || d.range;
  return keepFrames({
    key: reel,
    first,
    last,
    from: Math.min(last, Math.max(first, state.frame)),
    width,
    height: Math.round((width * d.plate.height) / d.plate.width),
    playing,
    path: (frame, quality) =>
      `/api/shots/${state.id}/frames/${frame}/picture?kind=${encodeURIComponent(kind)}&quality=${quality}` +
      `&width=${quality === 'draft' ? half : width}&seen=${state.seen}&revision=${of}${playing ? '' : '&ahead=true'}`,
  });
}

/** Asks for the frame as it now is. */
export async function refresh() {
  const mine = ++serial;
  flying?.abort();
  if (!state.playing) restFrames();
  comp.awaited = false;
  box.dataset.quality = '';
  const kind = served(),
    d = doc(),
    of = state.compare.startsWith('version') ? state.other : state.revision,
    reel = `${of} ${kind} ${state.seen}`;
  if (keptOf() && keptOf() !== reel) forgetFrames();
  if (nothingToSee(kind, d)) {
    stand(null);
    return;
  }
  if (state.playing) {
    keep(kind, reel, of, d, true);
    stand(null);
    return;
  }
  flying = new AbortController();
  comp.awaited = true;
  box.dataset.quality = '';
  tell('draw');
  const own = state.draft,
    { frame } = state,
    get = (width, quality, revision, what = kind) =>
      picture(
        `/api/shots/${state.id}/frames/${frame}/${own ? 'preview' : 'picture'}?kind=${encodeURIComponent(what)}` +
          `&width=${width}&quality=${quality}&seen=${state.seen}${own ? '' : `&revision=${revision}`}`,
        own ? changed(own) : null,
        flying.signal,
      );
  const there = !own && keptOf() === reel && !besideDrawn() && keptFrame(frame);
  if (there) {
    box.dataset.quality = 'draft';
    stand({ bitmap: there, frame, way: state.compare, quality: said(kind, 'draft', there) });
  }
  try {
    for (const [width, quality] of steps(kind, d.plate.width)) {
      if (there && quality === 'draft') continue;
      if (quality === 'full' && !ofPlate(kind)) {
        // The range comes before the finest of one frame: it takes seconds of every core.
        await new Promise((f) => {
          setTimeout(f, rest);
        });
        if (mine !== serial) return;
        await keep(kind, reel, of, d, false);
      }
      if (mine !== serial) return;
      const bitmap = await get(width, quality, of);
      if (mine !== serial) return;
      if (besideDrawn()) {
        comp.beside = { bitmap: await get(width, quality, state.revision, 'comp'), frame };
        if (mine !== serial) return;
      }
      box.dataset.quality = quality;
      // Only what the picture itself complained of is over; a message of anybody else stays.
      if (complained) {
        complained = false;
        tell('told', null);
      }
      stand({ bitmap, frame, way: state.compare, quality: said(kind, quality, bitmap) });
    }
  } catch (e) {
    if (e.name === 'AbortError' || mine !== serial) return;
    comp.awaited = false;
    stand(null);
    complained = true;
    tell('told', e);
  }
}

on('frame', refresh);
on('document', refresh);
