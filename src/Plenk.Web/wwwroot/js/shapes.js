// Plain geometry of the picture.

/** A test whether a place lies inside a loop of corners: a level line from it crosses the loop an odd number of times. */
export const inside = (corners) => (q) =>
  corners.reduce((odd, a, i) => {
    const b = corners[(i + 1) % corners.length];
    return a.y > q.y !== b.y > q.y && q.x < ((b.x - a.x) * (q.y - a.y)) / (b.y - a.y) + a.x ? !odd : odd;
  }, false);
