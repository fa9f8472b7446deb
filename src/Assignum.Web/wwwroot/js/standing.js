// The band above the page says what is worked in; after a save it is asked for anew.
import { ask } from './ask.js';

export async function standing() {
  document.body.dispatchEvent(new Event('standing'));
  const place = document.getElementById('standing');
  const band = place?.closest('.band');
  if (!band) return;
  const answer = await ask(`${location.pathname}?handler=Band`, { headers: { Accept: 'text/html' } });
  if (!answer.ok) return;
  place.outerHTML = await answer.text();
  band.className = `band ${document.getElementById('standing')?.dataset.band ?? ''}`;
}
