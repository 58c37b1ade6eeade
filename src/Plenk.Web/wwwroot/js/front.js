import { post } from './api.js';
import { fillVials } from './vial.js';
import { fillTold } from './told.js';

fillVials();
document.getElementById('new-shot').addEventListener('submit', async (event) => {
  event.preventDefault();
  const form = new FormData(event.target);
  const box = document.getElementById('told');
  box.replaceChildren();
  try {
    const row = await post('/api/shots', Object.fromEntries(form));
    location.href = `/shots/${row.id}`;
  } catch (e) {
    box.append(fillTold(e));
  }
});
