// Marks what findings are about: rows, cells and titles say which place they are; what is found there is asked for once.
import { ask } from './ask.js';

const entity = location.pathname.match(/^\/e\/[^/]+/)?.[0];
// The sign itself is drawn by the style: what a row or title says stays what it says.
const SIGNS = { error: 'bad', warning: 'watch', info: 'quiet' };
let marks = null;

function mark(place) {
  const found = marks?.[place.dataset.place];
  const target = place.matches('tr') ? place.querySelector('td:not([hidden]), th') : place;
  target?.querySelector(':scope > a.sign')?.remove();
  if (!found || !target) return;
  const link = document.createElement('a');
  link.className = `sign sign-${SIGNS[found.severity]}`;
  link.href = `${entity}/findings?finding=${encodeURIComponent(found.finding)}`;
  link.title = found.says;
  link.tabIndex = -1;
  link.setAttribute('aria-label', `${found.severity}: ${found.says}`);
  target.append(link);
}

async function look() {
  if (!entity || !document.querySelector('[data-place]')) return;
  const answer = await ask(`${entity}/findings?handler=Marks`, { headers: { Accept: 'application/json' } });
  if (!answer.ok) return;
  marks = await answer.json();
  document.querySelectorAll('[data-place]').forEach(mark);
}

document.body.addEventListener('standing', look);
// Rows that come later, as they are scrolled to.
document.body.addEventListener('htmx:afterSwap', () => { if (marks) document.querySelectorAll('[data-place]').forEach(mark); });
look();
