// Frames kept for playing: fetched in the background from the first time one plays, as many as a bound allows, and told beside the button.
import { picture } from './api.js';
import { words } from './told.js';

const most = 400e6; // bytes of pictures as they lie in memory
const kept = new Map(); // by frame: { bitmap, quality }
let of = '',
  flying = null;
let done = false; // all that can be kept is, or no more was wanted: until the next Play

export const keptFrame = (frame) => kept.get(frame)?.bitmap ?? null;

function say(wanted, width, height, all) {
  const fine = wanted.filter((f) => kept.get(f)?.quality === 'middle').length,
    some = wanted.filter((f) => kept.has(f)).length,
    bytes = [...kept.values()].reduce((sum, k) => sum + 4 * k.bitmap.width * k.bitmap.height, 0);
  const bound = wanted.length < all ? words('kept-bound', { mb: Math.round(most / 1e6), all }).message : '',
    how = some < wanted.length ? 'kept-some' : fine < wanted.length ? 'kept-fine' : 'kept-all',
    said = words(how, { some, fine, wanted: wanted.length, mb: Math.round(bytes / 1e6) }).message;
  const out = document.getElementById('kept');
  out.replaceChildren(`${said}${bound}`);
  if (fine === wanted.length) return;
  const button = document.getElementById('keep-no-more').content.firstElementChild.cloneNode(true);
  button.addEventListener('click', restFrames);
  out.append(' ', button);
}

// What is kept is of another revision or look: it goes.
export function forgetFrames() {
  flying?.abort();
  flying = null;
  for (const k of kept.values()) k.bitmap.close();
  kept.clear();
  of = '';
  done = false;
  document.getElementById('kept').textContent = '';
}

function restFrames() {
  flying?.abort();
  flying = null;
  done = true;
  document.querySelector('#kept button')?.remove();
}

// Play was pressed: what is missing is fetched again.
export const wakeFrames = () => {
  done = false;
};

// Which picture is kept.
export const keptOf = () => of;

// From the present frame on, round the range: coarse ones first, so that all of it moves, then finer ones in their place.
export async function keepFrames({ key, first, last, from, width, height, path }) {
  if (key !== of) {
    forgetFrames();
    of = key;
  }
  if (flying || done) return;
  const count = last - first + 1,
    wanted = Array.from(
      { length: Math.min(count, Math.max(1, Math.floor(most / (4 * width * height)))) },
      (_, i) => first + ((from - first + i) % count),
    );
  const mine = (flying = new AbortController());
  for (const quality of ['draft', 'middle']) {
    for (const frame of wanted) {
      if (kept.has(frame) && (quality === 'draft' || kept.get(frame).quality === 'middle')) continue;
      try {
        const bitmap = await picture(path(frame, quality), null, mine.signal);
        if (flying !== mine) {
          bitmap.close();
          return;
        }
        kept.get(frame)?.bitmap.close();
        kept.set(frame, { bitmap, quality });
        say(wanted, width, height, count);
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
