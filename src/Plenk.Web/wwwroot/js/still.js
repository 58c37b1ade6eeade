// Straight edges on a still: families told apart by one, two or three ticks; their ends are pulled; the grid follows.
import { mark } from './marks.js';
import { post } from './api.js';
import { button, h, heading, number, quiet } from './build.js';
import { changed, on, setHand, state, tell } from './state.js';

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

export function drawStill({ at, both, label }) {
  const s = now(),
    parts = [];
  if (!still.open || (!s.lines.length && !still.begun)) return parts;
  if (still.look?.grid?.length)
    parts.push(
      mark`<path d="${still.look.grid.map(([a, b, c, d]) => `M${at(a, b)}L${at(c, d)}`).join('')}" fill="none" stroke="#fff" stroke-opacity=".55" stroke-width=".8"/>`,
    );
  for (const l of s.lines) {
    const [x1, y1] = at(l.x1, l.y1).split(' ').map(Number),
      [x2, y2] = at(l.x2, l.y2).split(' ').map(Number);
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
    parts.push(both(d, l === s.lines[still.chosen] ? 2.2 : 1.3, ''));
    for (const [x, y] of [
      [x1, y1],
      [x2, y2],
    ])
      parts.push(both(`M${x - 3} ${y - 3}h6v6h-6z`, 0.9, ''));
  }
  if (s.origin) {
    const [x, y] = at(...s.origin)
      .split(' ')
      .map(Number);
    parts.push(both(`M${x - 9} ${y}h18M${x} ${y - 9}v18`, 1.6, ''), label(x + 8, y + 15, 'origin'));
  }
  if (s.length) {
    const [x, y] = at(...s.length.to)
      .split(' ')
      .map(Number);
    parts.push(both(`M${at(...s.length.from)}L${x} ${y}`, 1.4, '6 3'), label(x + 6, y - 5, `${s.length.metres} m`));
  }
  return parts;
}

// The end of a line, the origin or an end of the length under the pointer: a function that moves it.
export function stillNear(p, zoom) {
  if (!still.open) return null;
  const s = structuredClone(now()),
    near = (x, y) => Math.hypot(x - p.x, y - p.y) * zoom < 9;
  for (let i = 0; i < s.lines.length; i++) {
    for (const k of [1, 2]) {
      if (near(s.lines[i][`x${k}`], s.lines[i][`y${k}`]))
        return {
          i,
          move: (q) => {
            s.lines[i][`x${k}`] = q.x;
            s.lines[i][`y${k}`] = q.y;
            still.draft = s;
            still.chosen = i;
            look();
          },
        };
    }
  }
  if (s.origin && near(...s.origin))
    return {
      move: (q) => {
        s.origin = [q.x, q.y];
        still.draft = s;
        look();
      },
    };
  for (const end of ['from', 'to'])
    if (s.length && near(...s.length[end]))
      return {
        move: (q) => {
          s.length[end] = [q.x, q.y];
          still.draft = s;
          look();
        },
      };
  return null;
}
export const keepStill = () => keep('Moved a line', () => {});

export function stillSection() {
  const s = now(),
    l = still.look,
    chosen = s.lines[still.chosen];
  const toggle = h(
    'div',
    { class: 'actions' },
    h(
      'button',
      {
        type: 'button',
        'aria-pressed': still.open ? 'true' : 'false',
        onclick: () => {
          still.open = !still.open;
          look();
          tell('chosen');
        },
      },
      'Lines on a still',
    ),
  );
  if (!still.open || !state.document.plate) return state.document.plate ? [toggle] : [];
  const count = (axis) => s.lines.filter((x) => x.axis === axis).length;
  return [
    toggle,
    heading('One still'),
    quiet('Draw along straight edges of two or three directions; +Y is up. Pull their ends. Two clicks make a line.'),
    h('div', { class: 'actions' }, ...['x', 'y', 'z'].map((a) => button(`Along ${a} (${count(a)})`, () => lineHand(a)))),
    chosen
      ? h(
          'div',
          { class: 'actions' },
          button(`Delete this line along ${chosen.axis}`, () =>
            keep('Deleted a line', (x) => {
              x.lines.splice(still.chosen, 1);
              still.chosen = undefined;
            }),
          ),
        )
      : null,
    h(
      'div',
      { class: 'actions' },
      button('Click the origin', () =>
        setHand((p) =>
          keep('Origin of the still', (x) => {
            x.origin = [p.x, p.y];
          }),
        ),
      ),
      button('Click a known length', () =>
        setHand((a) => {
          setHand((b) =>
            keep('Known length', (x) => {
              x.length = { from: [a.x, a.y], to: [b.x, b.y], metres: x.length?.metres ?? 1 };
            }),
          );
        }),
      ),
    ),
    s.length
      ? number(
          'It measures',
          s.length.metres,
          'm',
          (v) =>
            keep('Known length', (x) => {
              x.length.metres = v;
            }),
          { min: 1e-4 },
        )
      : null,
    l
      ? l.solved
        ? h(
            'ul',
            { class: 'plain', id: 'still-report' },
            ...[
              `focal length ${l.focalMm.toFixed(2)} mm ± ${l.focalDoubtMm.toFixed(2)}`,
              `turn ± ${l.turnDoubt.toFixed(2)}°, lines off by ${l.rmsPx.toFixed(2)} px`,
              l.principal
                ? `principal point ${l.principal.x.toFixed(0)}, ${l.principal.y.toFixed(0)} ± ${l.principal.doubt.toFixed(0)} px${l.principal.used ? '' : ': not told apart from the centre, which is kept'}`
                : null,
              l.along ? `length taken ${l.along}` : null,
              l.height !== null && l.height !== undefined ? `camera ${l.height.toFixed(2)} m above the floor` : null,
            ]
              .filter(Boolean)
              .map((t) => h('li', {}, t)),
          )
        : h('p', { class: 'told', role: 'status' }, l.reason)
      : null,
  ].filter(Boolean);
}

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
