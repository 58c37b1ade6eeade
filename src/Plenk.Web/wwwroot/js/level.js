// Which way is up, from lines drawn in the picture: a horizon, or edges that are upright in the place.
import { get } from './api.js';
import { button, h, quiet } from './build.js';
import { save, setHand, state, tell } from './state.js';

let begun = null;
const change = (what, act) =>
  save(what, (d) => {
    act((d.orientation.level ||= []));
    return d;
  });

function draw(horizon) {
  setHand((a) => {
    begun = a;
    tell('draw');
    setHand((b) => {
      begun = null;
      return change(horizon ? 'Horizon drawn' : 'Upright drawn', (l) =>
        l.push({ frame: state.frame, horizon, x1: a.x, y1: a.y, x2: b.x, y2: b.y }),
      );
    });
  });
}

export function drawLevel({ at, both, label }) {
  const parts = (state.document.orientation.level || [])
    .filter((l) => l.frame === state.frame)
    .flatMap((l) => {
      const [x, y] = at(l.x2, l.y2).split(' ').map(Number);
      return [both(`M${at(l.x1, l.y1)}L${x} ${y}`, 1.4, '9 3 2 3'), label(x + 5, y - 5, l.horizon ? 'horizon' : 'upright')];
    });
  if (begun && state.hand) {
    const [x, y] = at(begun.x, begun.y).split(' ').map(Number);
    parts.push(both(`M${x - 4} ${y}h8M${x} ${y - 4}v8`, 1.2, ''));
  }
  return parts;
}

export function levelSection() {
  const d = state.document,
    lines = d.orientation.level || [],
    agree = h('p', { class: 'quiet', id: 'level' });
  if (!d.camera) return [];
  if (lines.length) {
    get(`/api/shots/${state.id}/orientation`).then((r) => {
      agree.textContent =
        r.levelDegrees === null || r.levelDegrees === undefined
          ? ''
          : `${lines.length === 1 ? 'One line says which way is up.' : `${lines.length} lines say which way is up; they agree to ${r.levelDegrees.toFixed(2)}°.`}`;
    });
  }
  return [
    lines.length
      ? agree
      : d.orientation.floor.length
        ? quiet('A horizon or upright edges drawn in the picture check the floor.')
        : quiet('No floor to name? Draw the horizon, or edges that are upright in the place: two of them, or one in two frames.'),
    h(
      'div',
      { class: 'actions' },
      button('Draw the horizon', () => draw(true)),
      button('Draw an upright', () => draw(false)),
      lines.length ? button('Take the last one away', () => change('Level line taken away', (l) => l.pop())) : null,
    ),
  ];
}
