// Strokes over what a matte is to hold (“this”) or not (“not this”): the server finds its outline from them, and anew after each one.
import { freeId } from './edits.js';
import { changed, choose, on, setHand, state, tell } from './state.js';
import { guarded } from './told.js';
import { plateSize, apart } from './view.js';

// Of the plate's width.
const widths = { narrow: 0.004, middle: 0.012, wide: 0.035 };
let drawing = null; // a stroke under way, or one that is being answered

const send = guarded(async (matte, stroke) => {
  const answer = await changed('mattes/strokes', { frame: state.frame, matte, stroke });
  if (state.chosen.matte !== matte) choose(`matte:${matte}`);
  tell('told', { message: answer.said, fine: true });
});

function strokeHand(inside) {
  return (id) => {
    const begun = id || freeId(state.document.mattes, 'matte');
    const next = (p) => {
      const stroke = { inside, widthPixels: (widths[state.page.strokeWidth] ?? widths.middle) * plateSize().w, points: [p.x, p.y] };
      drawing = stroke;
      tell('draw');
      return {
        move(q) {
          const [x, y] = stroke.points.slice(-2);
          if (apart({ x, y }, q) < 3) return;
          stroke.points.push(q.x, q.y);
          tell('draw');
        },
        async release() {
          setHand(next);
          await send(begun, stroke);
          if (drawing === stroke) drawing = null;
          tell('draw');
        },
      };
    };
    setHand(next);
    tell('told', { message: inside ? 'Stroke over what it holds.' : 'Stroke over what it is not to hold.', fine: true });
  };
}
export const hands = { strokeThis: strokeHand(true), strokeNotThis: strokeHand(false) };

const chain = (p, at) => p.map((x, i) => (i % 2 ? '' : `${i ? 'L' : 'M'}${at(x, p[i + 1])}`)).join('');
export function draw({ at, xy, both }) {
  const m = (state.document.mattes || []).find((x) => x.id === state.chosen.matte),
    here = m?.keys?.find((k) => k.frame === state.frame)?.strokes ?? [];
  return [...here, ...(drawing ? [drawing] : [])].flatMap((s) => {
    const [x, y] = xy(s.points[0], s.points[1]);
    return [
      both(chain(s.points.length > 2 ? s.points : [...s.points, ...s.points], at), 2.4, s.inside ? '' : '2 5'),
      both(`M${x - 14} ${y - 8}h8${s.inside ? `M${x - 10} ${y - 12}v8` : ''}`, 1.6, ''),
    ];
  });
}
for (const t of ['escape', 'frame', 'step'])
  on(t, () => {
    drawing = null;
  });
