// A table whose cells are moved through by keys and changed where they stand. What is changed waits as drawn until the
// server has taken all of it; what it refuses stays in the cells with the reason. Undo and redo ask the server as well.
import { paste } from './paste.js';

const table = document.querySelector('table[data-grid]');
if (table) start();

function start() {
  const bar = document.getElementById('gridbar');
  const may = table.dataset.may === 'true' && bar;
  const body = table.tBodies[0];
  const pending = new Map();
  const memory = (name) => JSON.parse(sessionStorage.getItem(`grid-${bar?.dataset.entity}-${name}`) ?? '[]');
  const keep = (name, list) => sessionStorage.setItem(`grid-${bar.dataset.entity}-${name}`, JSON.stringify(list.slice(-100)));
  const folded = new Set();
  const selected = new Set();
  let anchor = null;

  const rows = () => [...body.rows].filter((r) => !r.classList.contains('more') && !r.hidden);
  const cellsOf = (row) => [...row.cells].filter((c) => c.hasAttribute('tabindex'));
  const columnOf = (cell) => cell.dataset.column;
  const here = () => body.querySelector('td[tabindex="0"]');
  const headOf = (column) => table.tHead.querySelector(`th[data-column="${column}"]`);
  const say = (text, wrong) => { const said = document.getElementById('grid-said'); if (said) { said.textContent = text; said.classList.toggle('bad', !!wrong); } };

  function go(cell, focus = true) {
    if (!cell) return;
    here()?.setAttribute('tabindex', '-1');
    cell.setAttribute('tabindex', '0');
    if (focus) cell.focus();
  }

  function first() { go(rows().map((r) => cellsOf(r)[0]).find(Boolean), false); }

  function step(cell, down, right) {
    const list = rows();
    const row = cell.parentElement;
    const at = cellsOf(row).indexOf(cell);
    if (right) { go(cellsOf(row)[Math.max(0, Math.min(cellsOf(row).length - 1, at + right))]); return row; }
    const to = list[Math.max(0, Math.min(list.length - 1, list.indexOf(row) + down))];
    const cells = cellsOf(to);
    const same = [...to.cells].find((c) => columnOf(c) && columnOf(c) === columnOf(cell));
    go(same ?? cells[Math.min(at, cells.length - 1)]);
    to.scrollIntoView({ block: 'nearest' });
    return to;
  }

  // Folding hides what stands deeper below a heading.
  function fold(row, shut) {
    if (!row.hasAttribute('aria-expanded')) return;
    folded[shut ? 'add' : 'delete'](row.dataset.number);
    draw();
  }

  function draw() {
    let deep = Infinity;
    for (const row of body.rows) {
      const level = Number(row.getAttribute('aria-level') ?? 1);
      if (row.classList.contains('more')) continue;
      if (level <= deep) deep = Infinity;
      row.hidden = level > deep;
      if (row.hasAttribute('aria-expanded')) {
        const shut = folded.has(row.dataset.number);
        row.setAttribute('aria-expanded', String(!shut));
        if (shut && level < deep) deep = level;
      }
      const number = row.dataset.number;
      if (!number) continue;
      row.setAttribute('aria-selected', String(selected.has(number)));
      for (const cell of row.cells) {
        const change = pending.get(`${number}\u001f${columnOf(cell)}`);
        if (!change || !columnOf(cell)) continue;
        cell.textContent = change.value;
        cell.classList.add('pending');
        cell.classList.toggle('wrong', !!change.fault);
        if (change.fault) cell.setAttribute('aria-invalid', 'true'); else cell.removeAttribute('aria-invalid');
        cell.title = change.fault ?? '';
      }
    }
    const many = bar?.querySelector('.many');
    if (many) {
      many.hidden = selected.size === 0;
      document.getElementById('grid-many').textContent = selected.size === 1 ? '1 account:' : `${selected.size} accounts:`;
      document.getElementById('grid-undo').disabled = memory('undo').length === 0;
      document.getElementById('grid-redo').disabled = memory('redo').length === 0;
    }
  }

  function put(number, column, was, value) {
    const key = `${number}\u001f${column}`;
    const before = pending.get(key)?.was ?? was;
    if (value === before) { pending.delete(key); return; }
    pending.set(key, { number, column, was: before, value });
  }

  async function send(address, content) {
    const token = bar.querySelector('input[name=__RequestVerificationToken]').value;
    const answer = await fetch(address, { method: 'POST', headers: { 'Content-Type': 'application/json', 'X-Form-Token': token }, body: JSON.stringify(content ?? {}) });
    const json = answer.headers.get('content-type')?.includes('json') ? await answer.json() : { faults: [{ number: '', column: '', message: 'That could not be stored: what you changed is still here. Try again in a moment.' }] };
    return { ok: answer.ok, ...json };
  }

  // Everything that waits, in one change; the tree is drawn anew from what the server has then.
  async function save(what) {
    if (pending.size === 0) return;
    const edits = [...pending.values()].map(({ number, column, was, value }) => ({ number, column, was, value }));
    const answer = await send(bar.dataset.edit, { what, edits });
    if (!answer.ok) {
      for (const change of pending.values()) delete change.fault;
      for (const fault of answer.faults) {
        const change = pending.get(`${fault.number}\u001f${fault.column}`) ?? [...pending.values()].find((c) => c.number === fault.number);
        if (change) change.fault = fault.message;
      }
      say(`Nothing is stored yet. ${answer.faults[0]?.message ?? ''}${answer.faults.length > 1 ? ` (and ${answer.faults.length - 1} more)` : ''}`, true);
      draw();
      return;
    }
    const renumbered = new Map(edits.filter((e) => e.column === 'number').map((e) => [e.number, e.value]));
    pending.clear();
    if (answer.change) { keep('undo', [...memory('undo'), answer.change]); keep('redo', []); }
    say(answer.change ? `${answer.rows === 1 ? '1 account' : `${answer.rows} rows`} changed.` : 'Nothing was different.');
    await reload(renumbered);
  }

  async function reload(renumbered = new Map()) {
    const at = here();
    const place = at && { number: at.parentElement.dataset.number, column: columnOf(at), index: cellsOf(at.parentElement).indexOf(at) };
    const focus = body.contains(document.activeElement) || document.activeElement === document.body;
    const answer = await fetch(`${table.dataset.rows}&skip=0&take=${body.rows.length}`);
    if (!answer.ok) return;
    body.innerHTML = await answer.text();
    window.htmx?.process(body);
    const number = place && (renumbered.get(place.number) ?? place.number);
    const row = number && body.querySelector(`tr[data-number="${CSS.escape(number)}"]`);
    if (row) go(cellsOf(row)[place.index], focus); else first();
    draw();
    panel();
  }

  async function back(from, to, word) {
    const list = memory(from);
    const change = list.pop();
    if (!change) { say(`Nothing to ${word}.`); return; }
    const answer = await send(`${bar.dataset.undo}&change=${change}`);
    if (!answer.ok) { say(`Could not ${word}: ${answer.faults[0]?.message}`, true); return; }
    keep(from, list);
    keep(to, [...memory(to), answer.change]);
    say(word === 'undo' ? 'Undone.' : 'Done again.');
    await reload();
  }

  // Edit a cell where it stands: a list where the field has words, else text, with choices where it names something.
  function edit(cell, typed) {
    const column = columnOf(cell);
    const number = cell.parentElement.dataset.number;
    if (!may || !column || !number) return;
    const head = headOf(column);
    const words = head?.dataset.words?.split(' ').filter(Boolean) ?? [];
    const value = pending.get(`${number}\u001f${column}`)?.value ?? cell.dataset.value ?? '';
    const field = document.createElement(words.length ? 'select' : 'input');
    field.className = words.length ? 'form-select' : 'form-control';
    field.id = 'grid-field';
    field.autocomplete = 'off';
    field.setAttribute('aria-label', `${column.replaceAll('_', ' ')} of ${number}`);
    for (const word of ['', ...words]) if (words.length) field.add(new Option(word.replaceAll('-', ' '), word, false, word === value));
    const pick = head?.dataset.pick;
    if (pick) { field.dataset.pick = pick; field.setAttribute('role', 'combobox'); field.setAttribute('aria-expanded', 'false'); field.setAttribute('aria-autocomplete', 'list'); }
    const old = [...cell.childNodes];
    const box = document.createElement('span');
    box.className = 'combo';
    box.append(field);
    cell.replaceChildren(box);
    cell.classList.add('editing');
    if (words.length) { if (typed) field.value = words.find((w) => w.startsWith(typed.toLowerCase())) ?? value; } else field.value = typed ?? value;
    field.focus();
    if (!words.length && typed === undefined) field.select();
    if (typed && pick) field.dispatchEvent(new Event('input', { bubbles: true }));
    let done = false;
    const end = (take, then) => {
      if (done) return;
      done = true;
      const now = field.value;
      cell.replaceChildren(...old);
      cell.classList.remove('editing');
      if (take) { put(number, column, cell.dataset.value ?? '', now); draw(); }
      then?.();
      if (take) save(`${column.replaceAll('_', ' ')} of ${number}`);
    };
    field.addEventListener('keydown', (event) => {
      event.stopPropagation();
      if (event.defaultPrevented) return;
      if (event.key === 'Escape') { end(false, () => cell.focus()); event.preventDefault(); }
      if (event.key === 'Enter') { end(true, () => step(cell, 1, 0)); event.preventDefault(); }
      if (event.key === 'Tab') { end(true, () => step(cell, 0, event.shiftKey ? -1 : 1)); event.preventDefault(); }
    });
    field.addEventListener('blur', () => setTimeout(() => { if (document.activeElement !== field && !document.getElementById('in-place')?.open) end(true); }, 0));
  }

  function select(row, to) {
    const list = rows().filter((r) => r.dataset.number);
    if (!anchor) anchor = row;
    const [a, b] = [list.indexOf(anchor), list.indexOf(to)].sort((x, y) => x - y);
    selected.clear();
    list.slice(Math.max(0, a), b + 1).forEach((r) => selected.add(r.dataset.number));
    draw();
  }

  const chosen = (row) => (selected.has(row.dataset.number) ? [...selected] : [row.dataset.number]);

  // Under another heading (or under none), for all that are selected.
  function move(numbers, parent) {
    for (const number of numbers) {
      const row = body.querySelector(`tr[data-number="${CSS.escape(number)}"]`);
      if (row && number !== parent) put(number, 'parent', row.dataset.parent ?? '', parent ?? '');
    }
    return save(parent ? `moved under ${parent}` : 'moved to the top');
  }

  function shift(row, inward) {
    const list = rows();
    const level = Number(row.getAttribute('aria-level'));
    if (inward) {
      for (let i = list.indexOf(row) - 1; i >= 0; i--) {
        const other = Number(list[i].getAttribute('aria-level'));
        if (other < level) break;
        if (other === level && list[i].hasAttribute('aria-expanded')) return move(chosen(row), list[i].dataset.number);
      }
      return say('No heading stands above it on the same level: choose one in the field parent.', true);
    }
    const above = body.querySelector(`tr[data-number="${CSS.escape(row.dataset.parent ?? '')}"]`);
    return row.dataset.parent ? move(chosen(row), above?.dataset.parent ?? '') : say('It stands at the top already.');
  }

  async function panel() {
    const pane = document.getElementById('chart-panel');
    const number = here()?.parentElement.dataset.number;
    if (!pane || pane.hidden || !number) return;
    const answer = await fetch(`${table.dataset.panel}${encodeURIComponent(number)}?handler=Panel`);
    if (answer.ok) pane.innerHTML = await answer.text();
  }

  table.addEventListener('keydown', (event) => {
    const cell = event.target.closest('td[tabindex]');
    if (!cell || event.target.closest('.combo')) return;
    const row = cell.parentElement;
    const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    const ctrl = event.ctrlKey || event.metaKey;
    let took = true;
    if (may && ctrl && key === 'z' && !event.shiftKey) back('undo', 'redo', 'undo');
    else if (may && ctrl && (key === 'y' || key === 'z')) back('redo', 'undo', 'redo');
    else if (ctrl && key === 'a') { rows().forEach((r) => r.dataset.number && selected.add(r.dataset.number)); draw(); }
    else if (ctrl && key === 'Home') go(cellsOf(rows()[0])[0]);
    else if (ctrl && key === 'End') go(cellsOf(rows().at(-1)).at(-1));
    else if (ctrl) took = false;
    else if (may && event.altKey && key === 'ArrowRight') shift(row, true);
    else if (may && event.altKey && key === 'ArrowLeft') shift(row, false);
    else if (event.altKey) took = false;
    else if (event.shiftKey && (key === 'ArrowDown' || key === 'ArrowUp')) { if (!selected.size) anchor = row; select(row, step(cell, key === 'ArrowDown' ? 1 : -1, 0)); }
    else if (event.shiftKey && key === ' ') { anchor = row; if (!selected.delete(row.dataset.number)) selected.add(row.dataset.number); draw(); }
    else if (key === 'ArrowDown' || key === 'ArrowUp') { step(cell, key === 'ArrowDown' ? 1 : -1, 0); panel(); }
    else if (key === 'ArrowRight' || key === 'ArrowLeft') step(cell, 0, key === 'ArrowRight' ? 1 : -1);
    else if (key === 'PageDown' || key === 'PageUp') { step(cell, key === 'PageDown' ? 20 : -20, 0); panel(); }
    else if (key === 'Home') go(cellsOf(row)[0]);
    else if (key === 'End') go(cellsOf(row).at(-1));
    else if (key === 'Escape') { if (pending.size) { pending.clear(); reload(); say('What was not stored is dropped.'); } selected.clear(); draw(); }
    else if (key === '-' && row.hasAttribute('aria-expanded')) fold(row, true);
    else if (key === '+' && row.hasAttribute('aria-expanded')) fold(row, false);
    else if (key === 'Enter' && columnOf(cell) === 'number') row.querySelector('a')?.click();
    else if (key === 'b' && columnOf(cell) === 'number') { const pane = document.getElementById('chart-panel'); pane.hidden = !pane.hidden; document.getElementById('chart-work').classList.toggle('with-pane', !pane.hidden); panel(); }
    else if (may && (key === 'Enter' || key === 'F2')) edit(cell);
    else if (may && (key === 'Delete' || key === 'Backspace') && columnOf(cell) && columnOf(cell) !== 'number' && row.dataset.number) { put(row.dataset.number, columnOf(cell), cell.dataset.value ?? '', ''); draw(); save(`${columnOf(cell)} of ${row.dataset.number} emptied`); }
    else if (may && event.key.length === 1 && key !== ' ' && key !== '?' && key !== '/' && columnOf(cell) !== 'number') edit(cell, event.key);
    else took = false;
    if (took) { event.preventDefault(); event.stopPropagation(); }
  });

  body.addEventListener('focusin', (event) => { const cell = event.target.closest('td[tabindex]'); if (cell && cell === event.target && cell !== here()) go(cell, false); });
  table.addEventListener('dblclick', (event) => { const cell = event.target.closest('td[data-column]'); if (cell) edit(cell); });
  table.addEventListener('mousedown', (event) => {
    const cell = event.target.closest('td[tabindex]');
    if (!cell || event.target.closest('.combo, a')) return;
    if (event.shiftKey) { select(here()?.parentElement ?? cell.parentElement, cell.parentElement); event.preventDefault(); } else if (event.ctrlKey) { const n = cell.parentElement.dataset.number; if (n && !selected.delete(n)) selected.add(n); draw(); } else if (!selected.has(cell.parentElement.dataset.number)) { selected.clear(); anchor = null; draw(); }
    go(cell);
    panel();
  });

  if (may) {
    table.addEventListener('paste', (event) => {
      const cell = event.target.closest('td[data-column]');
      if (!cell || event.target.closest('.combo')) return;
      event.preventDefault();
      const wrong = paste(event.clipboardData.getData('text/plain'), cell, rows(), put);
      draw();
      if (wrong) say(wrong, true); else save('block pasted');
    });
    document.getElementById('grid-undo').addEventListener('click', () => back('undo', 'redo', 'undo'));
    document.getElementById('grid-redo').addEventListener('click', () => back('redo', 'undo', 'redo'));
    const field = document.getElementById('many-field');
    const value = document.getElementById('many-value');
    const fit = () => { const pick = headOf(field.value)?.dataset.pick ?? table.dataset.picks?.[field.value]; if (pick) value.dataset.pick = pick; else delete value.dataset.pick; };
    field.addEventListener('change', fit);
    const setAll = () => {
      for (const number of selected) {
        const row = body.querySelector(`tr[data-number="${CSS.escape(number)}"]`);
        const cell = row?.querySelector(`td[data-column="${field.value}"]`);
        pending.set(`${number}\u001f${field.value}`, { number, column: field.value, was: cell ? cell.dataset.value ?? '' : null, value: value.value });
      }
      save(`${field.value.replaceAll('_', ' ')} set on ${selected.size} accounts`);
    };
    document.getElementById('many-set').addEventListener('click', setAll);
    value.addEventListener('keydown', (event) => { if (event.key === 'Enter' && !event.defaultPrevented) { setAll(); event.preventDefault(); } });

    let dragged = null;
    body.addEventListener('dragstart', (event) => { dragged = chosen(event.target.closest('tr')); event.dataTransfer.setData('text/plain', dragged.join(' ')); event.dataTransfer.effectAllowed = 'move'; });
    body.addEventListener('dragover', (event) => { const to = event.target.closest?.('tr[aria-expanded]'); body.querySelectorAll('.over').forEach((r) => r.classList.remove('over')); if (to && dragged) { to.classList.add('over'); event.preventDefault(); } });
    body.addEventListener('drop', (event) => { const to = event.target.closest('tr[aria-expanded]'); if (to && dragged) { event.preventDefault(); move(dragged, to.dataset.number); } });
    body.addEventListener('dragend', () => { dragged = null; body.querySelectorAll('.over').forEach((r) => r.classList.remove('over')); });
    window.addEventListener('beforeunload', (event) => { if (pending.size) event.preventDefault(); });
  }
  document.body.addEventListener('htmx:afterSwap', (event) => { if (table.contains(event.target) || event.target.closest?.('table') === null) draw(); });
  first();
  draw();
}
