// The finish's hands: a region, a box and a distance are taken from the picture; on it stand the region that is measured and the place that a step changes most.
import { get } from '../api.js';
import { put } from '../edits.js';
import { pick, pickAny } from '../pick.js';
import { inLine, save, setHand, state, tell } from '../state.js';
import { guarded, wordFault, words } from '../told.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
const chosen = () => state.document.finish.steps.find((s) => s.id === state.chosen.finish);

const corner = (then) =>
  setHand((a) =>
    setHand((b) =>
      then({
        x: Math.max(0, Math.round(Math.min(a.x, b.x))),
        y: Math.max(0, Math.round(Math.min(a.y, b.y))),
        width: Math.round(Math.abs(a.x - b.x)),
        height: Math.round(Math.abs(a.y - b.y)),
      }),
    ),
  );

let box = null; // whose means are shown
function showBox() {
  const out = document.getElementById('box-values');
  if (!out || !box) return;
  const rgb = (v) => v.map((x) => x.toFixed(4)).join(' ');
  out.replaceChildren(`plate ${rgb(box.plate)}`, document.createElement('br'), `comp ${rgb(box.comp)}`);
}

export const hands = {
  focus: (id) =>
    setHand(
      guarded(async (p) => {
        const hit = await get(api(`frames/${state.frame}/pixel?x=${p.x}&y=${p.y}&revision=${state.revision}`));
        if (!hit.distance) throw wordFault('no-distance');
        await save((d) => put(d, `finish/steps/${id}/defocus/focusMetres`, Math.round(hit.distance * 1000) / 1000));
      }),
    ),
  spot: (id) =>
    setHand(
      guarded(async (p) => {
        const { point } = await pick(p.x, p.y);
        await save((d) =>
          put(
            d,
            `finish/steps/${id}/sphere/place`,
            point.map((v) => Math.round(v * 1000) / 1000),
          ),
        );
      }),
    ),
  // An element or a seen piece is taken up by a click, or let go.
  pickObjects: (id) =>
    setHand(
      guarded(async (p) => {
        const hit = await pickAny(p.x, p.y),
          own = hit.elementId ?? hit.pieceId;
        if (!own) throw wordFault('nothing-there');
        if (!hit.elementId && !state.document.pieces.find((q) => q.id === own)?.duties?.seen)
          throw wordFault('piece-not-seen', { name: own });
        await save((d) => {
          const { objects } = d.finish.steps.find((s) => s.id === id);
          return put(d, `finish/steps/${id}/objects`, objects.includes(own) ? objects.filter((o) => o !== own) : [...objects, own]);
        });
      }),
    ),
  drawRegion: () => corner((b) => save((d) => put(d, 'finish/region', { ...b, frame: state.frame }))),
  drawBox: () =>
    corner(
      guarded(async (b) => {
        const means = await get(api(`frames/${state.frame}/box?x=${b.x}&y=${b.y}&width=${b.width}&height=${b.height}`));
        box = { ...b, ...means, frame: state.frame };
        tell('chosen');
        tell('overlay');
      }),
    ),
};

// Once the sheet stands.
let effect = null;
export function drawn(body) {
  showBox();
  const said = body.querySelector('[data-effect]');
  effect = said ? JSON.parse(said.dataset.effect) : null;
  tell('overlay');
}

// On the picture.
export function draw({ at, xy, both, label }) {
  const parts = [],
    r = state.document.finish?.region,
    frame = (b, dash) =>
      both(`M${at(b.x, b.y)}L${at(b.x + b.width, b.y)}L${at(b.x + b.width, b.y + b.height)}L${at(b.x, b.y + b.height)}Z`, 1, dash);
  if (r && (r.frame ?? state.frame) === state.frame) parts.push(frame(r, '6 4'));
  if (box?.frame === state.frame) parts.push(frame(box, ''));
  if (effect?.share > 0) {
    const [x, y] = xy(effect.x, effect.y);
    parts.push(
      both(`M${x - 9} ${y}h6m6 0h6M${x} ${y - 9}v6m0 6v6`, 1.2, ''),
      label(x + 12, y - 6, words('changes-most', { most: effect.most.toFixed(3) }).message),
    );
  }
  return parts;
}

// For the rail: the framing's keys as a curve.
let framing = null,
  framingOf = '';
const parts = ['x', 'y', 'turnDegrees', 'scale'];
export function curve() {
  const s = chosen();
  if (s?.kind !== 'Reframe' || !s.reframe.keys.length) return null;
  const key = `${s.id}/${state.revision}`,
    has = (k, p) => k[p] !== null && k[p] !== undefined,
    part = parts.find((p) => s.reframe.keys.some((k) => has(k, p))) ?? 'x';
  if (framingOf !== key) {
    framingOf = key;
    framing = null;
    inLine(() => get(api(`finish/${s.id}/framing`)))
      .then((r) => {
        if (framingOf !== key) return;
        framing = r;
        tell('chosen');
      })
      .catch(() => {});
  }
  if (!framing) return null;
  return {
    name: words(`curve-framing-${part}`).message,
    curves: [{ axis: '', points: framing.map((f) => ({ frame: f.frame, value: f[part] })) }],
    keys: s.reframe.keys.filter((k) => has(k, part)).map((k) => ({ frame: k.frame, value: k[part] })),
    change: (frame, value) => save((d) => put(d, `finish/steps/${s.id}/reframe/keys/${frame}/${part}`, value)),
  };
}
