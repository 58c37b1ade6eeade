// A loop round what is meant: drawn in one go, or clicked corner by corner until it closes where it began.
import { inside } from './shapes.js';
import { on, setHand, tell } from './state.js';
import { apart } from './view.js';

const near = 14; // px on the page
let loop = null;

/** Takes the hand; done(inside) gets a test of places. */
export function lasso(done) {
  loop = [];
  const end = () => {
    const corners = loop;
    loop = null;
    tell('draw');
    done(inside(corners));
  };
  const next = (p) => {
    if (loop.length > 2 && apart(loop[0], p) < near) {
      end();
      return null;
    }
    loop.push(p);
    tell('draw');
    const from = loop.length;
    return {
      move(q) {
        if (apart(loop.at(-1), q) < 3) return;
        loop.push(q);
        tell('draw');
      },
      release() {
        if (loop.length > from + 2) end();
        else {
          loop.length = from;
          setHand(next);
          tell('draw');
        }
      },
    };
  };
  setHand(next);
}

export const draw = ({ at, both }) =>
  loop?.length ? [both(loop.map((p, i) => `${i ? 'L' : 'M'}${at(p.x, p.y)}`).join(''), 1.2, '5 3')] : [];

on('escape', () => {
  loop = null;
  tell('draw');
});
on('step', () => {
  loop = null;
});
