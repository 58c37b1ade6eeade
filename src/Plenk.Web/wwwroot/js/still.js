// Straight edges on a still: families told apart by one, two or three ticks; their ends are pulled; the grid follows.
import { mark } from './marks.js';
import { post } from './api.js';
import { changed, choose, on, setHand, state, tell } from './state.js';
import { apart } from './view.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
export const still = { open: false, draft: null, look: null, begun: null };
const ticks = { x: 1, y: 2, z: 3 };
const now = () => still.draft || state.document.still || { frame: state.frame, lines: [], origin: null, length: null };

// What is drawn stands at once; the next line is drawn on it while the server still works on this one.
async function keep(what, change) {
  const next = structuredClone(now());
  change(next);
  still.draft = next;
  tell('draw');
  try {
    const r = await changed('still', { what, still: next });
    if (still.draft === next) {
      still.draft = null;
      still.look = r.look;
    }
    tell('told', null);
    tell('tracks');
  } catch (e) {
    if (still.draft === next) still.draft = null;
    tell('told', e);
  }
}

let looking = false;
async function look() {
  if (looking || !state.document.plate || !now().lines.length) return;
  looking = true;
  let asked;
  do {
    asked = JSON.stringify(now());
    try {
      still.look = await post(api('still/look'), { baseRevision: state.revision, what: '', still: JSON.parse(asked) });
    } catch {
      still.look = null;
    }
    tell('draw');
  } while (asked !== JSON.stringify(now()));
  looking = false;
  if (!still.draft) tell('tracks');
}

function lineHand(axis) {
  setHand((a) => {
    still.begun = { axis, a };
    setHand((b) => {
      still.begun = null;
      return keep(`Line along ${axis}`, (s) => {
        s.frame = state.frame;
        s.lines.push({ axis, x1: a.x, y1: a.y, x2: b.x, y2: b.y });
      });
    });
    tell('draw');
  });
}

export function draw({ at, xy, both, label }) {
  const s = now(),
    parts = [];
  if (!still.open || (!s.lines.length && !still.begun)) return parts;
  if (still.look?.grid?.length)
    parts.push(
      mark`<path d="${still.look.grid.map(([a, b, c, d]) => `M${at(a, b)}L${at(c, d)}`).join('')}" fill="none" stroke="#fff" stroke-opacity=".55" stroke-width=".8"/>`,
    );
  for (const l of s.lines) {
    const [x1, y1] = xy(l.x1, l.y1),
      [x2, y2] = xy(l.x2, l.y2);
    const length = Math.hypot(x2 - x1, y2 - y1) || 1,
      ux = (x2 - x1) / length,
      uy = (y2 - y1) / length,
      mx = (x1 + x2) / 2,
      my = (y1 + y2) / 2;
    let d = `M${x1} ${y1}L${x2} ${y2}`;
    for (let k = 0; k < ticks[l.axis]; k++) {
      const o = (k - (ticks[l.axis] - 1) / 2) * 5;
      d += `M${mx + ux * o - uy * 5} ${my + uy * o + ux * 5}l${uy * 10} ${-ux * 10}`;
    }
    parts.push(both(d, l === s.lines[chosenLine()] ? 2.2 : 1.3, ''));
    for (const [x, y] of [
      [x1, y1],
      [x2, y2],
    ])
      parts.push(both(`M${x - 3} ${y - 3}h6v6h-6z`, 0.9, ''));
  }
  if (s.origin) {
    const [x, y] = xy(...s.origin);
    parts.push(both(`M${x - 9} ${y}h18M${x} ${y - 9}v18`, 1.6, ''), label(x + 8, y + 15, 'origin'));
  }
  if (s.length) {
    const [x, y] = xy(...s.length.to);
    parts.push(both(`M${at(...s.length.from)}L${x} ${y}`, 1.4, '6 3'), label(x + 6, y - 5, `${s.length.metres} m`));
  }
  return parts;
}

// The end of a line, the origin or an end of the length under the pointer is pulled; the grid follows.
export function press(p) {
  if (!still.open) return null;
  const s = structuredClone(now()),
    near = (x, y) => apart({ x, y }, p) < 9;
  let moved = false;
  const grip = (put) => ({
    move(q) {
      moved = true;
      put(q);
      still.draft = s;
      look();
    },
    release: () => moved && keep('Moved a line', () => {}),
  });
  for (const [i, line] of s.lines.entries())
    for (const k of [1, 2])
      if (near(line[`x${k}`], line[`y${k}`]))
        return grip((q) => {
          Object.assign(line, { [`x${k}`]: q.x, [`y${k}`]: q.y });
          if (chosenLine() !== i) choose(`stillLine:${i}`);
        });
  if (s.origin && near(...s.origin))
    return grip((q) => {
      s.origin = [q.x, q.y];
    });
  for (const end of ['from', 'to'])
    if (s.length && near(...s.length[end]))
      return grip((q) => {
        s.length[end] = [q.x, q.y];
      });
  return null;
}

const chosenLine = () => (state.page.stillLine === undefined ? undefined : Number(state.page.stillLine));
export const hands = {
  still(open) {
    still.open = open === 'open';
    look();
    choose(`still:${open}`);
  },
  stillLine: lineHand,
  deleteStillLine: () =>
    keep('Deleted a line', (s) => {
      s.lines.splice(chosenLine(), 1);
      choose('stillLine:');
    }),
  stillOrigin: () =>
    setHand((p) =>
      keep('Origin of the still', (s) => {
        s.origin = [p.x, p.y];
      }),
    ),
  stillLength: () =>
    setHand((a) => {
      setHand((b) =>
        keep('Known length', (s) => {
          s.length = { from: [a.x, a.y], to: [b.x, b.y], metres: s.length?.metres ?? 1 };
        }),
      );
    }),
  stillMetres: (_, input, metres) =>
    keep('Known length', (s) => {
      s.length.metres = metres;
    }),
};

on('document', () => {
  if (state.document.still && still.look === null) {
    still.open = true;
    look();
  }
});
on('escape', () => {
  still.begun = null;
  still.draft = null;
  tell('draw');
});
