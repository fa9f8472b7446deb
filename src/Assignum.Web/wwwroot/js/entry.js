// An entry's lines: choosing one shows its ladder in the pane. Every ladder is on the page; nothing is asked of the server.
function choose(row) {
  const table = row.closest('table');
  table.querySelectorAll('tr[aria-selected]').forEach((other) => {
    other.setAttribute('aria-selected', other === row);
    other.tabIndex = other === row ? 0 : -1;
  });
  document.querySelectorAll('[data-ladder]').forEach((ladder) => { ladder.hidden = ladder.dataset.ladder !== row.dataset.line; });
}

document.addEventListener('click', (event) => {
  const row = event.target.closest('tr[data-line]');
  if (row && !event.target.closest('a')) choose(row);
});

document.addEventListener('keydown', (event) => {
  const row = event.target.closest?.('tr[data-line]');
  if (!row) return;
  const rows = [...row.closest('tbody').querySelectorAll('tr[data-line]')];
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  const to = event.key === 'Home' ? rows[0] : event.key === 'End' ? rows.at(-1) : step ? rows[rows.indexOf(row) + step] : null;
  if (!to) return;
  choose(to);
  to.focus();
  event.preventDefault();
});

// An address that names a line shows it at once.
const named = /^#line-(\d+)$/.exec(location.hash);
const row = named && document.querySelector(`tr[data-line="e${Number(named[1]) - 1}"]`);
if (row) { choose(row); row.focus(); }
