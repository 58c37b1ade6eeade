// Mattes: one list for every step. Shapes drawn on the plate, coloured screens, pictures, elements' coverage; joined, carried along, frozen.
// What an outline looks like and how it is pulled stands in outlines.js.
import { post } from './api.js';
import { freeId } from './edits.js';
import { straightCurve } from './keys.js';
import { choose, on, save, setHand, state, tell } from './state.js';
import { words } from './told.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
const mattes = { shape: [] };

// The one that is being drawn.
export const draw = ({ at, both }) =>
  mattes.shape.length ? [both(mattes.shape.map((p, i) => `${i ? 'L' : 'M'}${at(p.x, p.y)}`).join(''), 1.4, '')] : [];

// Corner by corner; closing the shape makes the matte, with a key at this frame.
function shapeClick(p) {
  mattes.shape.push(p);
  setHand(shapeClick);
  tell('draw');
  choose(`shape:${mattes.shape.length}`);
}
function closeShape() {
  const corners = mattes.shape.flatMap((p) => [p.x, p.y]);
  mattes.shape = [];
  setHand(null);
  choose('shape:');
  return save((d) => {
    const id = freeId(d.mattes, 'matte');
    d.mattes.push({ id, name: id.replace('_', ' '), keys: [{ frame: state.frame, corners }] });
    state.chosen.matte = id;
    return d;
  });
}

const edit = (id, act) =>
  save((d) => {
    act(d.mattes.find((m) => m.id === id));
    return d;
  });
export const hands = {
  drawMatte() {
    mattes.shape = [];
    setHand(shapeClick);
  },
  closeShape,
  keyScreen: (_, button) => {
    setHand(async (p) => {
      try {
        const { color } = await post(api('mattes/screen'), { x: p.x, y: p.y, frame: state.frame });
        await save((d) => {
          const id = freeId(d.mattes, 'matte');
          d.mattes.push({
            id,
            name: button.dataset.name,
            kind: 'Screen',
            keys: [],
            screen: { color, low: 0.1, high: 0.5, takesSpillOff: true, edgeBySides: true },
            keepsTracksOff: false,
            hidesBeyondMetres: 0,
          });
          state.chosen.matte = id;
          return d;
        });
      } catch (e) {
        tell('told', e);
      }
    });
    tell('told', { message: button.dataset.hint, fine: true });
  },
  async carryByTrack(on) {
    const [id, track] = JSON.parse(on);
    try {
      const motion = await post(api(`mattes/${encodeURIComponent(id)}/with-track/${track}`), {});
      await edit(id, (m) => {
        m.motion = motion;
      });
    } catch (e) {
      tell('told', e);
    }
  },
  matteNames: (id, input) =>
    edit(id, (m) => {
      m.ids.names = input.value
        .split(',')
        .map((n) => n.trim())
        .filter(Boolean);
    }),
  joinMatte: (id) =>
    edit(id, (m) => {
      m.parts = [...(m.parts || []), { matte: document.querySelector('#sheet-body [name=matteToJoin]').value, join: 'Add' }];
    }),
};

on('escape', () => {
  if (mattes.shape.length) choose('shape:');
  mattes.shape = [];
  tell('draw');
});
// For the rail: where the middle of the chosen outline is, by its keys; a key that is pulled takes the whole outline along.
const middle = (corners, axis) => corners.filter((_, i) => i % 2 === axis).reduce((a, b) => a + b, 0) / (corners.length / 2);
export function curve() {
  const m = state.step !== 2 && (state.document.mattes || []).find((x) => x.id === state.chosen.matte),
    axis = state.page.matteAxis === 'down' ? 1 : 0;
  if (!m || (m.kind ?? 'Drawn') !== 'Drawn' || m.frozen) return null;
  const curve = straightCurve(
    words(axis ? 'curve-down' : 'curve-across', m).message,
    m.keys,
    'corners',
    (c) => middle(c, axis),
    (frame, value) =>
      save((d) => {
        const k = d.mattes.find((x) => x.id === m.id).keys.find((q) => q.frame === frame),
          by = value - middle(k.corners, axis);
        k.corners = k.corners.map((v, i) => (i % 2 === axis ? v + by : v));
        return d;
      }),
  );
  // Frames that it was followed into and that are less sure than most.
  const followed = m.followed || [],
    usual = followed.map((f) => f.confidence).sort((a, b) => a - b)[followed.length >> 1];
  return (
    curve && {
      ...curve,
      doubts: followed.filter((f) => f.confidence < 0.75 * usual).map((f) => ({ frame: f.frame, much: 1 - f.confidence })),
    }
  );
}
