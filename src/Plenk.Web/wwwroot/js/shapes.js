// Plain geometry of the picture.

/** A test whether a place lies inside a loop of corners: a level line from it crosses the loop an odd number of times. */
export const inside = (corners) => (q) =>
  corners.reduce((odd, a, i) => {
    const b = corners[(i + 1) % corners.length];
    return a.y > q.y !== b.y > q.y && q.x < ((b.x - a.x) * (q.y - a.y)) / (b.y - a.y) + a.x ? !odd : odd;
  }, false);

// How far along a line of the picture a place lies, 1 at its end; and how far beside it.
export function along([ax, ay], [bx, by], { x, y }) {
  const [dx, dy] = [bx - ax, by - ay],
    l2 = dx * dx + dy * dy,
    t = l2 ? ((x - ax) * dx + (y - ay) * dy) / l2 : 0,
    c = Math.max(0, Math.min(1, t));
  return { t, off: Math.hypot(x - ax - c * dx, y - ay - c * dy) };
}

// The angle of a ring at its place nearest to one of the picture, degrees; and how far that lies beside it.
export function angleOn(seen, p) {
  let best = { degrees: 0, off: Infinity };
  seen.forEach((a, i) => {
    const b = seen[(i + 1) % seen.length];
    if (!a || !b) return;
    const { t, off } = along(a, b, p);
    if (off < best.off) best = { degrees: (360 * (i + Math.max(0, Math.min(1, t)))) / seen.length, off };
  });
  return best;
}

// Shapes are { corners: [x, y, …], handles: [in x, in y, out x, out y, …] }.
/** Where a shape goes on: its last point's way out is the next one's. */
export function joined(shape, next) {
  const n = shape.handles.length;
  return {
    corners: [...shape.corners, ...next.corners.slice(2)],
    handles: [...shape.handles.slice(0, n - 2), ...next.handles.slice(2, 4), ...next.handles.slice(4)],
  };
}
/** A shape whose last point lies on its first one is closed. */
export function closed(shape) {
  const { corners, handles } = shape;
  return { corners: corners.slice(0, -2), handles: [...handles.slice(-4, -2), ...handles.slice(2, -4)] };
}
