// Which frames play when, and in which order they are wanted.

/** Frames of a range in the order they are wanted: from one on and round while it plays, else those near it first. */
export function orderOf(first, last, from, playing) {
  const count = last - first + 1;
  if (playing) return Array.from({ length: count }, (_, i) => first + ((from - first + i) % count));
  return Array.from({ length: count }, (_, i) => first + i).sort((a, b) => Math.abs(a - from) - Math.abs(b - from) || b - a);
}

/** The frame so many ms after one began to play at another, round the range. */
export function playedAt(ms, rate, first, last, from) {
  const count = last - first + 1,
    start = Math.min(last, Math.max(first, from)) - first;
  return first + ((start + Math.max(0, Math.floor((ms * rate.num) / (1000 * rate.den)))) % count);
}
