// The plate around a place, enlarged, with what is known of it.
import { plateBitmap } from './plates.js';
import { state } from './state.js';

const lens = document.getElementById('lens'),
  size = 144,
  side = 24; // px of the plate

export function magnify(at, words) {
  const plate = at && plateBitmap(state.frame);
  lens.hidden = !plate;
  if (!plate) return;
  const c = lens.querySelector('canvas').getContext('2d');
  c.imageSmoothingEnabled = false;
  c.clearRect(0, 0, size, size);
  c.drawImage(plate, at.x - side / 2, at.y - side / 2, side, side, 0, 0, size, size);
  c.strokeStyle = '#fff';
  c.lineWidth = 1;
  c.beginPath();
  for (const [a, b] of [
    [0, 60],
    [84, size],
  ]) {
    c.moveTo(a, size / 2);
    c.lineTo(b, size / 2);
    c.moveTo(size / 2, a);
    c.lineTo(size / 2, b);
  }
  c.stroke();
  lens.querySelector('p').textContent = words;
}
