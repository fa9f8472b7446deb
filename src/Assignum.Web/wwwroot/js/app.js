// The frame: keys that work everywhere, and the list of what was found.
import './ask.js';
import './entry.js';
import './combo.js';
import './lines.js';
import './foresee.js';
import './forms.js';
import './days.js';
import './marks.js';
import './grid.js';
import './hand.js';
import './ladder.js';
import './map.js';
import './pairs.js';
import './source.js';
import './typed.js';

const find = document.getElementById('find');
const typing = (target) => target.closest('input, textarea, select, [contenteditable]');

document.addEventListener('keydown', (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === '/' && !typing(event.target)) { find?.focus(); event.preventDefault(); }
  // Explains what is marked: the row or cell that the focus is in says of what.
  if (event.key === 'F8') {
    const entity = location.pathname.match(/^\/e\/[^/]+/)?.[0];
    const said = event.target.closest?.('[data-explain]')?.dataset.explain ?? '';
    if (entity) { event.preventDefault(); location.assign(`${entity}/explain${said}`); }
  }
  if (event.key === '?' && !typing(event.target)) document.getElementById('keys')?.showModal();
  if (event.key === 'Escape' && event.target === find) { find.value = ''; document.getElementById('found').replaceChildren(); }
  // Enter takes the first, once what was found is of what is written.
  if (event.key === 'Enter' && event.target === find && find.value.trim()) { event.preventDefault(); first(); }
  if ((event.key === 'ArrowDown' || event.key === 'ArrowUp') && event.target.closest('.find')) move(event);
});

let taking = false;
function first() {
  const link = document.querySelector('#found a');
  if (link && !find.classList.contains('htmx-request') && document.getElementById('found').dataset.of === find.value) link.click();
  else taking = true;
}
document.body.addEventListener('htmx:afterSettle', (event) => {
  if (event.target.id !== 'found') return;
  event.target.dataset.of = event.detail.requestConfig?.parameters?.q ?? event.detail.requestConfig?.parameters?.get?.('q') ?? find.value;
  if (taking && event.target.dataset.of === find.value) { taking = false; event.target.querySelector('a')?.click(); }
});

// Arrows go from the search field into what was found and back.
function move(event) {
  const links = [...document.querySelectorAll('#found a')];
  if (!links.length) return;
  const at = links.indexOf(document.activeElement) + (event.key === 'ArrowDown' ? 1 : -1);
  (at < 0 ? find : links[Math.min(at, links.length - 1)]).focus();
  event.preventDefault();
}

document.querySelectorAll('[data-print]').forEach((button) => button.addEventListener('click', () => print()));
document.querySelectorAll('[data-close]').forEach((button) => button.addEventListener('click', () => button.closest('dialog').close()));
