// The pairing desk: a key a pair. The row that was decided is swapped for what the server says of it, and the next open one
// has the focus.
import { ask } from './ask.js';

const table = document.querySelector('table[data-pairs]');
const rows = () => [...table.tBodies[0].rows].filter((row) => row.dataset.subject);

function go(row, step) {
  const all = rows();
  const next = all[all.indexOf(row) + step];
  next?.focus();
  next?.scrollIntoView({ block: 'nearest' });
}

// Past what is settled.
function onward(row) {
  const all = rows();
  const next = all.slice(all.indexOf(row) + 1).find((r) => r.dataset.settled === 'no');
  (next ?? row).focus();
  (next ?? row).scrollIntoView({ block: 'nearest' });
}

const waiting = new Set();

async function send(row, what, other) {
  if (waiting.has(row.id)) return;
  const form = row.querySelector('form');
  if (!form) return;
  waiting.add(row.id);
  row.setAttribute('aria-busy', 'true');
  const body = new FormData(form);
  body.set('do', what);
  if (other !== undefined) body.set('ours', other);
  const back = what === 'open';
  if (!back) onward(row);
  try {
    const answer = await ask(table.dataset.pairs, { method: 'POST', body, headers: { 'X-Row': 'yes' } });
    if (answer.status !== 200 && answer.status !== 422) { row.querySelector('td:nth-child(3)')?.append(` (${answer.status}: try again)`); return; }
    const held = document.createElement('tbody');
    held.innerHTML = await answer.text();
    const fresh = held.querySelector('tr');
    if (!fresh) return;
    const had = row.contains(document.activeElement);
    row.replaceWith(fresh);
    if (had || answer.status === 422) fresh.focus();
    const ready = answer.headers.get('X-Ready')?.split('/');
    if (ready) document.getElementById('ready').textContent = `${Number(ready[0]).toLocaleString('en').replace(/,/g, '\u2009')} of ${Number(ready[1]).toLocaleString('en').replace(/,/g, '\u2009')}`;
  } finally {
    waiting.delete(row.id);
    row.removeAttribute('aria-busy');
  }
}

if (table) {
  table.addEventListener('keydown', (event) => {
    const row = event.target.closest('tr[data-subject]');
    if (!row || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.target !== row) {
      if (event.key === 'Escape') { row.focus(); event.preventDefault(); }
      return;
    }
    const key = event.key.toLowerCase();
    if (key === 'arrowdown' || key === 'arrowup') { go(row, key === 'arrowdown' ? 1 : -1); event.preventDefault(); return; }
    const taken = key === 'enter' ? row.querySelector('[data-key="1"][data-sure="yes"]') : row.querySelector(`[data-key="${CSS.escape(key)}"]`);
    if (!taken) return;
    event.preventDefault();
    if (taken.matches('input')) taken.focus();
    else if (taken.dataset.take) send(row, 'pair', taken.dataset.take);
    else send(row, taken.value);
  });
  // The same by pointer, and by Enter in a row's fields.
  table.addEventListener('submit', (event) => {
    const row = event.target.closest('tr[data-subject]');
    if (!row) return;
    event.preventDefault();
    const by = event.submitter;
    if (by?.dataset.take) send(row, 'pair', by.dataset.take);
    else if (document.activeElement?.name === 'reason') send(row, 'not-needed');
    else send(row, by?.value || 'pair');
  });
  rows()[0]?.focus();
}
