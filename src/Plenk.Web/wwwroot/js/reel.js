// Frames kept for playing: drafts of the whole range fill in by themselves while the hand rests, those near the present frame first; once one plays,
// finer ones follow. As many as a bound allows; told beside the button.
import { picture } from './api.js';
import { orderOf } from './playing.js';
import { words } from './told.js';

const most = 400e6; // bytes of pictures as they lie in memory
const kept = new Map(); // by frame: { bitmap, quality, width }
let of = '',
  flying = null, // what fetches, and whether for playing
  held = null; // a picture that stands on the page: it is not closed
let done = false; // all that can be kept is, or no more was wanted: until the next Play

export const keptFrame = (frame) => kept.get(frame)?.bitmap ?? null;

export const holdFrame = (bitmap) => {
  held = bitmap;
};

function drop(k) {
  if (k && k.bitmap !== held) k.bitmap.close();
}

function say(wanted, width, all) {
  const fine = wanted.filter((f) => kept.get(f)?.quality === 'middle' && kept.get(f).width === width).length,
    some = wanted.filter((f) => kept.has(f)).length,
    bytes = [...kept.values()].reduce((sum, k) => sum + 4 * k.bitmap.width * k.bitmap.height, 0);
  const bound = wanted.length < all ? words('kept-bound', { mb: Math.round(most / 1e6), all }).message : '',
    how = some < wanted.length ? 'kept-some' : fine === 0 ? 'kept-coarse' : fine < wanted.length ? 'kept-fine' : 'kept-all',
    said = words(how, { some, fine, wanted: wanted.length, mb: Math.round(bytes / 1e6) }).message;
  const out = document.getElementById('kept');
  out.replaceChildren(`${said}${bound}`);
  if (fine === wanted.length) return;
  const button = document.getElementById('keep-no-more').content.firstElementChild.cloneNode(true);
  button.addEventListener('click', noMoreFrames);
  out.append(' ', button);
}

// What is kept is of another revision or look: it goes.
export function forgetFrames() {
  restFrames();
  for (const k of kept.values()) drop(k);
  kept.clear();
  of = '';
  done = false;
  document.getElementById('kept').textContent = '';
}

// The hand moves: what fills in waits for it.
export function restFrames() {
  flying?.stop.abort();
  flying = null;
}

function noMoreFrames() {
  restFrames();
  done = true;
  document.querySelector('#kept button')?.remove();
}

// Play was pressed: what is missing is fetched again.
export const wakeFrames = () => {
  done = false;
};

// Which picture is kept.
export const keptOf = () => of;

const shown = async () => {
  while (document.hidden) await new Promise((f) => setTimeout(f, 500));
};

// Coarse ones first, so that all of it moves; while it plays, then finer ones in their place.
export async function keepFrames({ key, first, last, from, width, height, path, playing }) {
  if (key !== of) {
    forgetFrames();
    of = key;
  }
  if (done || flying?.playing === playing) return;
  restFrames();
  const wanted = orderOf(first, last, from, playing).slice(0, Math.max(1, Math.floor(most / (4 * width * height))));
  const mine = (flying = { stop: new AbortController(), playing });
  for (const quality of playing ? ['draft', 'middle'] : ['draft']) {
    for (const frame of wanted) {
      const there = kept.get(frame);
      if (there && (quality === 'draft' || (there.quality === quality && there.width === width))) continue;
      try {
        if (!playing) await shown();
        const bitmap = await picture(path(frame, quality), null, mine.stop.signal);
        if (flying !== mine) {
          bitmap.close();
          return;
        }
        drop(there);
        kept.set(frame, { bitmap, quality, width });
        say(wanted, width, last - first + 1);
      } catch (e) {
        if (e.name === 'AbortError' || flying !== mine) return;
        // A frame that cannot be made is shown as the plate; standing still on it says why.
      }
    }
  }
  if (flying === mine) {
    flying = null;
    done = true;
  }
}
