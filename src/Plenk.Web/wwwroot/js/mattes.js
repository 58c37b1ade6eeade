// Mattes: one list for every step. Shapes drawn on the plate, coloured screens, pictures, elements' coverage; joined, carried along, frozen.
import { get, post } from './api.js';
import { freeId } from './edits.js';
import { keyHere, straightAt, straightCurve } from './keys.js';
import { choose, inLine, on, save, setHand, state, tell } from './state.js';
import { words } from './told.js';
import { apart } from './view.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
export const mattes = { shape: [], pulled: null, moved: null };

// Where a carried shape is: asked of the server, which knows its motion; a plain one is straight between its keys.
const carried = new Map();
const carriedKey = (m, frame) => `${m.id}/${frame}/${state.revision}`;
export function matteAt(m, frame) {
  if (mattes.pulled?.matte === m.id && frame === state.frame) return mattes.pulled.corners;
  if (m.motion) {
    const key = carriedKey(m, frame);
    if (!carried.has(key)) {
      carried.set(key, []);
      if (carried.size > 400) carried.delete(carried.keys().next().value);
      inLine(() => get(`${api(`mattes/${encodeURIComponent(m.id)}/outline`)}?frame=${frame}&revision=${state.revision}`))
        .then((o) => {
          carried.set(key, o.corners);
          tell('draw');
        })
        .catch(() => {});
    }
    return carried.get(key);
  }
  return straightAt(m.keys, 'corners', frame) ?? [];
}

// Outlines of mattes, the chosen one with its corners, and the one that is being drawn. Beside the tracks all of them are seen.
export function draw({ at, xy, both }) {
  const parts = [];
  for (const m of state.document.mattes || []) {
    if ((m.kind ?? 'Drawn') !== 'Drawn' || (state.step !== 2 && m.id !== state.chosen.matte)) continue;
    const c = matteAt(m, state.frame);
    if (c.length < 6) continue;
    let d = '';
    for (let i = 0; i < c.length; i += 2) d += `${i ? 'L' : 'M'}${at(c[i], c[i + 1])}`;
    const mine = m.id === state.chosen.matte;
    parts.push(both(`${d}Z`, mine ? 1.8 : 1, m.off ? '1 4' : '7 3'));
    if (mine)
      for (let i = 0; i < c.length; i += 2) {
        const [x, y] = xy(c[i], c[i + 1]);
        parts.push(both(`M${x - 4} ${y}h8M${x} ${y - 4}v8`, 1.4, ''));
      }
  }
  if (mattes.shape.length) parts.push(both(mattes.shape.map((p, i) => `${i ? 'L' : 'M'}${at(p.x, p.y)}`).join(''), 1.4, ''));
  return parts;
}

// A corner of the chosen matte under the pointer, to be dragged; where it is let go becomes a key of this frame.
export function press(p) {
  const m = (state.document.mattes || []).find((x) => x.id === state.chosen.matte);
  if (!m || (m.kind ?? 'Drawn') !== 'Drawn') return null;
  const corners = [...matteAt(m, state.frame)],
    near = (i) => apart({ x: corners[i], y: corners[i + 1] }, p) < 10,
    i = corners.findIndex((_, k) => k % 2 === 0 && near(k));
  if (i < 0) return null;
  return {
    move(q) {
      [corners[i], corners[i + 1]] = [q.x, q.y];
      mattes.pulled = { matte: m.id, corners };
      tell('draw');
    },
    async release() {
      if (!mattes.pulled) return;
      await edit(m.id, (x) => {
        keyHere(x).corners = corners;
      });
      mattes.pulled = null;
      tell('draw');
    },
  };
}

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
on('frame', () => {
  mattes.pulled = null;
});
on('document', () => {
  mattes.pulled = null;
});

// For the rail: where the middle of the chosen outline is, by its keys; a key that is pulled takes the whole outline along.
const middle = (corners, axis) => corners.filter((_, i) => i % 2 === axis).reduce((a, b) => a + b, 0) / (corners.length / 2);
export function curve() {
  const m = state.step !== 2 && (state.document.mattes || []).find((x) => x.id === state.chosen.matte),
    axis = state.page.matteAxis === 'down' ? 1 : 0;
  if (!m || (m.kind ?? 'Drawn') !== 'Drawn' || m.frozen) return null;
  return straightCurve(
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
}
