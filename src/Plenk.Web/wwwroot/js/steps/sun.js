// The sun is found: by a shadow, by date and place, by what explains the picture, by a shadow that is pulled; its size off a shadow's edge.
import { post } from '../api.js';
import { put } from '../edits.js';
import { choose, on, save, setHand, state, tell } from '../state.js';
import { guarded, say } from '../told.js';

const api = (path) => `/api/shots/${state.id}/${path}`;
// Two clicks across a real shadow's edge: how wide it is tells how large the sun looks.
function shadowEdge() {
  setHand((from) => {
    setHand(
      guarded(async (to) => {
        const r = await post(api(`frames/${state.frame}/shadow-edge`), { document: state.document, from, to });
        await save((d) => {
          d.lights.find((l) => l.kind === 'Sun' && !l.off).angularDiameterDegrees = Math.min(90, r.angularDegrees);
          return d;
        });
        say('shadow-edge-found', {
          mm: (1000 * r.widthMetres).toFixed(0),
          metres: r.distanceMetres.toFixed(2),
          degrees: r.angularDegrees.toFixed(2),
        });
      }),
    );
    say('shadow-edge-dark');
  });
  say('shadow-edge-lit');
}

// What was found is kept by how it was found; a sun that nobody has placed yet is turned there at once.
const found = (how, direction, turns) =>
  save((d) => {
    const next = put(d, `sun/${how}`, direction);
    return turns ? put(next, `lights/${turns}/direction`, direction) : next;
  });

// Three clicks: foot, top, and the tip of the shadow.
function fromShadow(turns) {
  const clicks = [],
    words = ['shadow-foot', 'shadow-top', 'shadow-tip'];
  const next = guarded(async (p) => {
    clicks.push({ x: p.x, y: p.y });
    if (clicks.length < 3) {
      setHand(next);
      say(words[clicks.length]);
      return;
    }
    const { direction } = await post(api(`frames/${state.frame}/sun-from-shadow`), { foot: clicks[0], top: clicks[1], tip: clicks[2] });
    await found('fromShadow', direction, turns);
  });
  setHand(next);
  say(words[0]);
}

export const pullsShadows = () => state.page.pullShadow !== undefined;

// A shadow is pulled to where it belongs.
let pulled = null;
const moved = guarded(async (from, to) => {
  const { document } = state,
    r = await post(api(`frames/${state.frame}/pull-shadow`), { document, from, to });
  await save((d) => {
    d.lights.find((l) => l.id === r.light).direction = r.direction;
    return d;
  });
});
export function press(from) {
  if (!pullsShadows()) return null;
  return {
    move(to) {
      pulled = { from, to };
      tell('draw');
    },
    release(to) {
      const { x, y } = to;
      if (pulled) moved({ x: from.x, y: from.y }, { x, y });
      pulled = null;
      tell('draw');
    },
  };
}
export const draw = ({ at, both }) =>
  pulled ? [both(`M${at(pulled.from.x, pulled.from.y)}L${at(pulled.to.x, pulled.to.y)}`, 1.6, '5 3')] : [];

export const hands = {
  shadowEdge,
  fromShadow,
  sunByFit: guarded(async (turns, button) => {
    tell('told', { message: button.dataset.telling, fine: true });
    const r = await post(api(`frames/${state.frame}/sun-by-fit`), {});
    await found('fromFit', r.direction, turns);
    say('sun-fitted', { explained: (100 * r.explained).toFixed(0), rival: (100 * r.rival).toFixed(0) });
  }),
  sunFromDate: guarded(async (turns) => {
    const r = await post(api('sun-from-date'), state.document.sun);
    await found('fromDate', r.direction, turns);
  }),
  pullShadows: () => choose(`pullShadow:${pullsShadows() ? '' : 'yes'}`),
};
on('escape', () => {
  delete state.page.pullShadow;
});
