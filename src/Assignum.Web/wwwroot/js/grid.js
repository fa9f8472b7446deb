// A table whose cells are moved through by keys and changed where they stand. What is changed waits as drawn until the
// server has taken all of it; what it refuses stays in the cells with the reason. Undo and redo ask the server as well.
// Where data-hold is set, what is changed waits until it is saved, and what it would do is shown meanwhile; where data-holds
// names columns, only what touches one of them. Where
// data-total is set, only the rows around those in sight are there.
import { paste } from './paste.js';
import { windowed } from './window.js';

const table = document.querySelector('table[data-grid]');
if (table) start();

function start() {
  const bar = document.getElementById('gridbar');
  const may = table.dataset.may === 'true' && bar;
  const fresh = table.querySelector('tbody[data-fresh]');
  const body = table.querySelector('tbody:not([data-fresh])');
  const frame = table.closest('.grid-frame');
  const hold = table.dataset.hold === 'true';
  const heldColumns = new Set((table.dataset.holds ?? '').split(' ').filter(Boolean));
  const holding = () => hold || [...pending.values()].some((change) => heldColumns.has(change.column));
  const pending = new Map();
  const gone = new Map();
  // What the server said is wrong, by cell.
  const faults = new Map();
  const memory = (name) => JSON.parse(sessionStorage.getItem(`grid-${bar?.dataset.entity}-${name}`) ?? '[]');
  const keep = (name, list) => sessionStorage.setItem(`grid-${bar.dataset.entity}-${name}`, JSON.stringify(list.slice(-100)));
  const folded = new Set();
  const selected = new Set();
  let anchor = null;

  const all = () => [...(fresh?.rows ?? []), ...body.rows].filter((r) => !r.classList.contains('more') && !r.classList.contains('pad'));
  const rows = () => all().filter((r) => !r.hidden);
  const find = (number) => table.querySelector(`tbody tr[data-number="${CSS.escape(number)}"]`);
  const cellsOf = (row) => [...row.cells].filter((c) => c.hasAttribute('tabindex'));
  const columnOf = (cell) => cell.dataset.column;
  const here = () => table.querySelector('tbody td[tabindex="0"]');
  const headOf = (column) => table.tHead.querySelector(`th[data-column="${CSS.escape(column)}"]`);
  const say = (text, wrong) => { const said = document.getElementById('grid-said'); if (said) { said.textContent = text; said.classList.toggle('bad', !!wrong); } };

  // Rows that come and go leave whoever stands in one of them where they are, or on the first.
  const sight = windowed(table, body, frame, all, (change) => {
    const [number, column, had] = [here()?.parentElement.dataset.number, here()?.dataset.column, table.contains(document.activeElement)];
    change();
    const row = !here() && number && find(number);
    if (row) go([...row.cells].find((c) => c.hasAttribute('tabindex') && columnOf(c) === column) ?? cellsOf(row)[0], had);
    if (!here()) first();
    draw();
  });

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

  // What cells said before a change waited in them.
  const shown = new WeakMap();

  function draw() {
    let deep = Infinity;
    for (const row of all()) {
      const level = Number(row.getAttribute('aria-level') ?? 1);
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
      row.classList.toggle('gone', gone.has(number));
      for (const cell of row.cells) {
        if (!columnOf(cell)) continue;
        const key = `${number}\u001f${columnOf(cell)}`;
        const [change, fault] = [pending.get(key), faults.get(key)];
        if (change) {
          if (!shown.has(cell)) shown.set(cell, [...cell.childNodes]);
          cell.textContent = change.value;
          cell.classList.add('pending');
        } else if (shown.has(cell)) {
          // Back to what is stored: the cell says so again.
          cell.replaceChildren(...shown.get(cell));
          shown.delete(cell);
          cell.classList.remove('pending');
        }
        if (!change && !fault && !cell.classList.contains('wrong')) continue;
        cell.classList.toggle('wrong', !!fault);
        if (fault) cell.setAttribute('aria-invalid', 'true'); else cell.removeAttribute('aria-invalid');
        cell.title = fault ?? '';
      }
    }
    const many = bar?.querySelector('.many');
    if (many) {
      many.hidden = selected.size === 0;
      document.getElementById('grid-many').textContent = selected.size === 1 ? `1 ${noun()}:` : `${selected.size} ${noun()}s:`;
      document.getElementById('grid-undo').disabled = memory('undo').length === 0;
      document.getElementById('grid-redo').disabled = memory('redo').length === 0;
    }
  }

  const noun = () => table.dataset.noun ?? 'account';
  const waits = () => pending.size + gone.size;
  const content = () => ({ edits: [...pending.values()].map(({ number, column, was, value }) => ({ number, column, was, value })), gone: [...gone].map(([number, stamp]) => ({ number, stamp })) });

  // What waits is counted, and what it would do is asked for, a moment after the last change.
  let asking = 0;
  async function wait() {
    const shown = document.getElementById('grid-waits');
    const many = waits();
    if (shown) { shown.hidden = many === 0; document.getElementById('grid-count').textContent = many === 1 ? '1 change waits' : `${many} changes wait`; }
    const pane = document.getElementById('grid-foresee');
    const box = pane?.closest('[data-while-waiting]');
    if (box) box.hidden = many === 0;
    if (!pane || !bar?.dataset.foresee) return;
    const asked = ++asking;
    if (many === 0) { pane.innerHTML = '<p class="quiet mb-0">Change a cell to see which of the newest events would land elsewhere.</p>'; return; }
    if (many > 20000) { pane.innerHTML = '<p class="quiet mb-0">So much is not looked at before it is saved: Editions then shows what the draft would do.</p>'; return; }
    await new Promise((done) => { setTimeout(done, 250); });
    if (asked !== asking) return;
    pane.setAttribute('aria-busy', 'true');
    const token = bar.querySelector('input[name=__RequestVerificationToken]').value;
    const answer = await fetch(bar.dataset.foresee, { method: 'POST', headers: { 'Content-Type': 'application/json', 'X-Form-Token': token }, body: JSON.stringify(content()) });
    if (asked !== asking) return;
    pane.removeAttribute('aria-busy');
    pane.innerHTML = answer.ok || answer.status === 422 ? await answer.text() : '<p class="quiet mb-0">What this would do could not be worked out just now.</p>';
  }

  // A new row stands on top until it is saved.
  let made = 0;
  const MostFresh = 200;
  const given = () => [...table.tHead.rows[0].cells].filter((head) => head.dataset.column && head.dataset.given);
  // Of a large block not every row is drawn: what is wrong is, when the server says so.
  function more() {
    if (fresh.rows.length < MostFresh) return add().dataset.number;
    const number = `new:${++made}`;
    for (const head of given()) put(number, head.dataset.column, '', head.dataset.given);
    return number;
  }
  function add(values = {}, number = `new:${++made}`) {
    if (!fresh) return null;
    const row = document.createElement('tr');
    row.className = 'fresh';
    row.dataset.number = number;
    for (const head of table.tHead.rows[0].cells) {
      const cell = document.createElement('td');
      if (head.hidden) cell.hidden = true; else cell.tabIndex = -1;
      if (head.dataset.column) { cell.dataset.column = head.dataset.column; cell.dataset.value = ''; cell.className = 'code'; }
      row.append(cell);
      const value = values[head.dataset.column] ?? head.dataset.given;
      if (value && !pending.has(`${number}\u001f${head.dataset.column}`)) put(number, head.dataset.column, '', value);
    }
    fresh.append(row);
    return row;
  }

  function drop(row) {
    for (const number of chosen(row)) {
      const one = find(number);
      if (number.startsWith('new:')) { one?.remove(); for (const key of [...pending.keys()]) if (key.startsWith(`${number}\u001f`)) pending.delete(key); } else if (!gone.delete(number) && one?.dataset.stamp) gone.set(number, one.dataset.stamp);
    }
    const left = !table.contains(document.activeElement);
    if (!here()) first();
    if (left) here()?.focus();
    draw();
    wait();
  }

  function put(number, column, was, value) {
    const key = `${number}\u001f${column}`;
    const before = pending.get(key)?.was ?? was;
    faults.delete(key);
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
    if (waits() === 0) return;
    const { edits, gone: dropped } = content();
    const answer = await send(bar.dataset.edit, { what, edits, gone: dropped, reason: document.getElementById('grid-reason')?.value });
    if (!answer.ok) {
      // What is wrong with no cell of the grid stands in the first of its row that was changed.
      const firsts = new Map();
      for (const [key, change] of pending) if (!firsts.has(change.number)) firsts.set(change.number, key);
      faults.clear();
      for (const fault of answer.faults) {
        if (!firsts.has(fault.number)) continue;
        const [key, head] = [`${fault.number}\u001f${fault.column}`, headOf(fault.column)];
        faults.set(!head?.hidden && (head || pending.has(key)) ? key : firsts.get(fault.number), fault.message);
        if (fresh?.rows.length < 2 * MostFresh && fault.number.startsWith('new:') && !find(fault.number)) add({}, fault.number);
      }
      say(`Nothing is stored yet. ${answer.faults[0]?.message ?? ''}${answer.faults.length > 1 ? ` (and ${answer.faults.length - 1} more)` : ''}`, true);
      draw();
      return;
    }
    const renumbered = new Map(edits.filter((e) => e.column === 'number').map((e) => [e.number, e.value]));
    pending.clear();
    gone.clear();
    faults.clear();
    fresh?.replaceChildren();
    if (answer.change) { keep('undo', [...memory('undo'), answer.change]); keep('redo', []); }
    say(answer.change ? `${answer.rows === 1 ? `1 ${noun()}` : `${answer.rows} rows`} changed.` : 'Nothing was different.');
    await reload(renumbered);
    wait();
  }

  // Whoever holds changes back saves them by a key; without that each change is saved at once.
  const changed = (what) => { draw(); if (holding()) wait(); else save(what); };

  async function reload(renumbered = new Map()) {
    const at = here();
    const place = at && { number: at.parentElement.dataset.number, column: columnOf(at), index: cellsOf(at.parentElement).indexOf(at) };
    const focus = table.contains(document.activeElement) || document.activeElement === document.body;
    if (!sight.on) {
      const answer = await fetch(`${table.dataset.rows}&skip=0&take=${body.rows.length}`);
      if (!answer.ok) return;
      body.innerHTML = await answer.text();
      window.htmx?.process(body);
    } else if (!await sight.again()) return;
    const number = place && (renumbered.get(place.number) ?? place.number);
    const row = number && find(number);
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
    // All that was typed chooses a word, the first letter (which opened the list) with the rest.
    let letters = '';
    const spell = (more) => {
      const word = words.find((w) => w.replaceAll('-', ' ').startsWith((letters + more).toLowerCase()));
      if (word) { letters += more; field.value = word; }
    };
    if (words.length) { if (typed) spell(typed); } else field.value = typed ?? value;
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
      if (take) changed(`${column.replaceAll('_', ' ')} of ${number}`);
    };
    field.addEventListener('keydown', (event) => {
      event.stopPropagation();
      if (event.defaultPrevented) return;
      if (words.length && event.key.length === 1 && !event.ctrlKey && !event.altKey && !event.metaKey && letters) { spell(event.key); event.preventDefault(); }
      if (event.key === 'Escape') { end(false, () => cell.focus()); event.preventDefault(); }
      if (event.key === 'Enter') { end(true, () => step(cell, 1, 0)); event.preventDefault(); }
      if (event.key === 'Tab') { end(true, () => step(cell, 0, event.shiftKey ? -1 : 1)); event.preventDefault(); }
    });
    field.addEventListener('picked', () => end(true, () => step(cell, 1, 0)));
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
      const row = find(number);
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
    const above = find(row.dataset.parent ?? '');
    return row.dataset.parent ? move(chosen(row), above?.dataset.parent ?? '') : say('It stands at the top already.');
  }

  function forget() {
    pending.clear();
    gone.clear();
    faults.clear();
    fresh?.replaceChildren();
    reload();
    wait();
    say('What was not stored is dropped.');
  }

  // The topmost of the selected rows gives its value to those below it.
  function fill(row, cell) {
    const numbers = rows().map((r) => r.dataset.number).filter((n) => selected.has(n));
    const column = columnOf(cell);
    if (numbers.length < 2 || !column) { say('Select the rows first: the topmost gives its value to the others.', true); return; }
    const at = (number) => find(number)?.querySelector(`td[data-column="${column}"]`);
    const value = pending.get(`${numbers[0]}\u001f${column}`)?.value ?? at(numbers[0])?.dataset.value ?? '';
    numbers.slice(1).forEach((number) => put(number, column, at(number)?.dataset.value ?? '', value));
    changed(`${column.replaceAll('_', ' ')} filled down`);
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
    else if (may && hold && ctrl && key === 'd') fill(row, cell);
    else if (may && hold && ctrl && key === 'Delete') drop(row);
    else if (ctrl && key === 'Home') sight.end(0).then(() => go(cellsOf(rows()[0])[0]));
    else if (ctrl && key === 'End') sight.end(-1).then(() => go(cellsOf(rows().at(-1)).at(-1)));
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
    else if (may && hold && key === 'Insert') { go(cellsOf(add() ?? row)[0]); draw(); wait(); }
    else if (key === 'Escape') { if (waits() && (!holding() || !selected.size)) forget(); selected.clear(); draw(); }
    else if (key === '-' && row.hasAttribute('aria-expanded')) fold(row, true);
    else if (key === '+' && row.hasAttribute('aria-expanded')) fold(row, false);
    else if (key === 'Enter' && columnOf(cell) === 'number') row.querySelector('a')?.click();
    else if (key === 'b' && columnOf(cell) === 'number') { const pane = document.getElementById('chart-panel'); pane.hidden = !pane.hidden; document.getElementById('chart-work').classList.toggle('with-pane', !pane.hidden); panel(); }
    else if (may && (key === 'Enter' || key === 'F2')) edit(cell);
    else if (may && (key === 'Delete' || key === 'Backspace') && columnOf(cell) && columnOf(cell) !== 'number' && row.dataset.number) { put(row.dataset.number, columnOf(cell), cell.dataset.value ?? '', ''); changed(`${columnOf(cell)} of ${row.dataset.number} emptied`); }
    else if (may && event.key.length === 1 && key !== ' ' && key !== '?' && key !== '/' && columnOf(cell) !== 'number') edit(cell, event.key);
    else took = false;
    if (took) { event.preventDefault(); event.stopPropagation(); }
  });

  table.addEventListener('focusin', (event) => { const cell = event.target.closest('td[tabindex]'); if (cell && cell === event.target && cell !== here()) go(cell, false); });
  table.addEventListener('dblclick', (event) => { const cell = event.target.closest('td[data-column]'); if (cell) edit(cell); });
  table.addEventListener('mousedown', (event) => {
    const cell = event.target.closest('td[tabindex]');
    if (!cell || event.target.closest('.combo, a')) return;
    if (event.shiftKey) { select(here()?.parentElement ?? cell.parentElement, cell.parentElement); event.preventDefault(); } else if (event.ctrlKey) { const n = cell.parentElement.dataset.number; if (n && !selected.delete(n)) selected.add(n); draw(); } else if (!selected.has(cell.parentElement.dataset.number)) { selected.clear(); anchor = null; draw(); }
    go(cell);
    panel();
  });

  if (may) {
    table.addEventListener('paste', async (event) => {
      const cell = event.target.closest('td[data-column]');
      if (!cell || event.target.closest('.combo')) return;
      event.preventDefault();
      const wrong = await paste(event.clipboardData.getData('text/plain'), cell, rows(), put, noun(), fresh ? more : null, sight.following);
      if (wrong) { draw(); say(wrong, true); } else changed('block pasted');
    });
    // Rows that another page asked for: their keys are filled, and an account is wanted.
    const begun = JSON.parse(table.dataset.begin || '[]').map((values) => add(values)).filter(Boolean);
    if (begun.length > 0) { wait(); go([...begun[0].cells].find((c) => columnOf(c) === 'account') ?? cellsOf(begun[0])[0]); }
    document.getElementById('grid-undo').addEventListener('click', () => back('undo', 'redo', 'undo'));
    document.getElementById('grid-redo').addEventListener('click', () => back('redo', 'undo', 'redo'));
    const field = document.getElementById('many-field');
    const value = document.getElementById('many-value');
    const fit = () => { const pick = headOf(field.value)?.dataset.pick ?? table.dataset.picks?.[field.value]; if (pick) value.dataset.pick = pick; else delete value.dataset.pick; };
    field?.addEventListener('change', fit);
    const setAll = () => {
      for (const number of selected) {
        const cell = find(number)?.querySelector(`td[data-column="${field.value}"]`);
        put(number, field.value, cell ? cell.dataset.value ?? '' : null, value.value);
      }
      changed(`${field.value.replaceAll('_', ' ')} set on ${selected.size} ${noun()}s`);
    };
    document.getElementById('many-set')?.addEventListener('click', setAll);
    value?.addEventListener('keydown', (event) => { if (event.key === 'Enter' && !event.defaultPrevented) { setAll(); event.preventDefault(); } });

    let dragged = null;
    body.addEventListener('dragstart', (event) => { dragged = chosen(event.target.closest('tr')); event.dataTransfer.setData('text/plain', dragged.join(' ')); event.dataTransfer.effectAllowed = 'move'; });
    body.addEventListener('dragover', (event) => { const to = event.target.closest?.('tr[aria-expanded]'); body.querySelectorAll('.over').forEach((r) => r.classList.remove('over')); if (to && dragged) { to.classList.add('over'); event.preventDefault(); } });
    body.addEventListener('drop', (event) => { const to = event.target.closest('tr[aria-expanded]'); if (to && dragged) { event.preventDefault(); move(dragged, to.dataset.number); } });
    body.addEventListener('dragend', () => { dragged = null; body.querySelectorAll('.over').forEach((r) => r.classList.remove('over')); });
    // From wherever on the page: whoever set a field on many stands beside the grid.
    document.addEventListener('keydown', (event) => {
      if (!hold && !heldColumns.size || event.key.toLowerCase() !== 's' || !(event.ctrlKey || event.metaKey)) return;
      event.preventDefault();
      if (document.activeElement?.id === 'grid-field') document.activeElement.blur();
      setTimeout(() => save(table.dataset.what ?? 'changed in the grid'), 0);
    });
    window.addEventListener('beforeunload', (event) => { if (waits()) event.preventDefault(); });
    document.getElementById('grid-save')?.addEventListener('click', () => save(table.dataset.what ?? 'changed in the grid'));
    document.getElementById('grid-drop')?.addEventListener('click', forget);
    document.getElementById('grid-add')?.addEventListener('click', () => { const row = add(); draw(); wait(); if (row) go(cellsOf(row)[0]); });
    document.getElementById('grid-gone')?.addEventListener('click', () => { const row = here()?.parentElement; if (row) drop(row); });
  }
  document.body.addEventListener('htmx:afterSwap', (event) => { if (table.contains(event.target) || event.target.closest?.('table') === null) draw(); });
  first();
  sight.room();
  draw();
}
