// A table whose cells are moved through by keys and changed where they stand. What is changed waits as drawn until the
// server has taken all of it; what it refuses stays in the cells with the reason. Undo and redo ask the server as well.
// Where data-hold is set, what is changed waits until it is saved, and what it would do is shown meanwhile; where data-holds
// names columns, only what touches one of them. Where
// data-total is set, only the rows around those in sight are there.
// The parts stand in grid/: what waits, keys, drawing, the wire and the field in a cell; this puts them together.
import { ask } from './ask.js';
import { edit as editCell } from './grid/choice.js';
import { asLeft } from './foresee.js';
import { Drawing } from './grid/draw.js';
import { actOf } from './grid/keys.js';
import { isNew, Pending } from './grid/pending.js';
import { Memory, Wire } from './grid/wire.js';
import { meant } from './combo.js';
import { paste } from './paste.js';
import { standing } from './standing.js';
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
  const pending = new Pending();
  const drawing = new Drawing();
  const wire = new Wire(() => bar.querySelector('input[name=__RequestVerificationToken]').value);
  const memory = new Memory(bar?.dataset.entity);
  const holding = () => hold || pending.touches(heldColumns);
  const put = (number, column, was, value) => pending.put(number, column, was, value);
  const folded = new Set();
  const selected = new Set();
  let anchor = null;
  // The cell that is written in, until it is left.
  let writing = null;

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
    writing?.leave(true, null);
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

  function draw() {
    drawing.rows(all(), { pending, selected, folded });
    const many = bar?.querySelector('.many');
    if (many) {
      many.hidden = selected.size === 0;
      document.getElementById('grid-many').textContent = selected.size === 1 ? `1 ${noun()}:` : `${selected.size} ${noun()}s:`;
      document.getElementById('grid-undo').disabled = memory.list('undo').length === 0;
      document.getElementById('grid-redo').disabled = memory.list('redo').length === 0;
    }
  }

  const noun = () => table.dataset.noun ?? 'account';

  // What waits is counted, and what it would do is asked for, a moment after the last change.
  async function wait() {
    const shown = document.getElementById('grid-waits');
    const many = pending.count;
    if (shown) { shown.hidden = many === 0; document.getElementById('grid-count').textContent = many === 1 ? '1 change waits' : `${many} changes wait`; }
    const pane = document.getElementById('grid-foresee');
    const box = pane?.closest('[data-while-waiting]');
    if (box) box.hidden = many === 0;
    if (!pane || !bar?.dataset.foresee) return;
    if (many === 0 || many > 20000) {
      wire.forget();
      pane.innerHTML = many === 0 ? '<p class="quiet mb-0">Change a cell to see which of the newest events would land elsewhere.</p>' : '<p class="quiet mb-0">So much is not looked at before it is saved: Editions then shows what the draft would do.</p>';
      return;
    }
    const seen = await wire.look(bar.dataset.foresee, pending.content(), 250, () => pane.setAttribute('aria-busy', 'true'));
    if (seen === null) return;
    pane.removeAttribute('aria-busy');
    pane.innerHTML = seen || '<p class="quiet mb-0">What this would do could not be worked out just now.</p>';
    asLeft(pane);
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
      if (value && !pending.change(number, head.dataset.column)) put(number, head.dataset.column, '', value);
    }
    fresh.append(row);
    return row;
  }

  function drop(row) {
    for (const number of chosen(row)) {
      const one = find(number);
      if (isNew(number)) one?.remove();
      pending.drop(number, one?.dataset.stamp);
    }
    const left = !table.contains(document.activeElement);
    if (!here()) first();
    if (left) here()?.focus();
    draw();
    wait();
  }

  // One after the other: what is changed while a save is on its way waits for the next.
  let turn = Promise.resolve();
  const inTurn = (act) => (turn = turn.then(act, act));
  const save = (what) => inTurn(() => store(what));

  // Everything that waits, in one change; the tree is drawn anew from what the server has then.
  async function store(what) {
    if (pending.count === 0) return;
    const { edits, gone } = pending.content();
    const answer = await wire.send(bar.dataset.edit, { what, edits, gone, reason: document.getElementById('grid-reason')?.value });
    if (!answer.ok) {
      const wrong = pending.refuse(answer.faults, (column) => { const head = headOf(column); return head ? !head.hidden : undefined; });
      for (const number of wrong) if (fresh?.rows.length < 2 * MostFresh && isNew(number) && !find(number)) add({}, number);
      say(`Nothing is stored yet. ${answer.faults[0]?.message ?? ''}${answer.faults.length > 1 ? ` (and ${answer.faults.length - 1} more)` : ''}`, true);
      draw();
      return;
    }
    const keys = new Map(Object.entries(answer.keys ?? {}));
    pending.taken({ edits, gone }, keys);
    stored(edits, keys);
    if (answer.change) memory.made(answer.change);
    // Said when it is to be seen: whoever goes on by what is said goes on from what is stored now.
    await reload();
    say(answer.change ? `${answer.rows === 1 ? `1 ${noun()}` : `${answer.rows} rows`} changed.` : 'Nothing was different.');
    standing();
    wait();
  }

  // Until rows are drawn anew they are what is stored now: whoever writes in one meanwhile changes that.
  function stored(edits, keys) {
    const shown = new Map(all().map((row) => [row.dataset.number, row]));
    for (const { number, column, value } of edits) {
      const cell = [...shown.get(number)?.cells ?? []].find((c) => columnOf(c) === column);
      if (cell) cell.dataset.value = value;
    }
    for (const [was, number] of keys) { const row = shown.get(was); if (row) row.dataset.number = number; }
    for (const some of [selected, folded]) {
      const all = [...some].map((number) => keys.get(number) ?? number);
      some.clear();
      all.forEach((number) => some.add(number));
    }
  }

  // Whoever holds changes back saves them by a key; without that each change is saved at once.
  const changed = (what) => { draw(); if (holding()) wait(); else save(what); };

  // Rows are not drawn anew under somebody who writes in one: what is typed would go with the cell. They are asked for again
  // when it is written, and whoever moves on meanwhile stays there.
  async function reload() {
    let place = null;
    let focus = false;
    const undisturbed = async (get) => {
      for (;;) {
        await writing?.written;
        const rows = await get();
        if (writing) continue;
        const at = here();
        place = at && { number: at.parentElement.dataset.number, column: columnOf(at), index: cellsOf(at.parentElement).indexOf(at) };
        focus = table.contains(document.activeElement) || document.activeElement === document.body;
        return rows;
      }
    };
    if (!sight.on) {
      const html = await undisturbed(async () => {
        const answer = await ask(`${table.dataset.rows}&skip=0&take=${body.rows.length}`);
        return answer.ok ? answer.text() : null;
      });
      if (html === null) return;
      body.innerHTML = html;
      window.htmx?.process(body);
    } else if (!await sight.again(undisturbed)) return;
    // New rows that are stored by now stand among the others.
    for (const row of [...fresh?.rows ?? []]) if (!isNew(row.dataset.number)) row.remove();
    const row = place && find(place.number);
    if (row) go(cellsOf(row)[place.index], focus); else first();
    draw();
    panel();
  }

  const back = (from, to, word) => inTurn(() => turnBack(from, to, word));

  async function turnBack(from, to, word) {
    const list = memory.list(from);
    const change = list.pop();
    if (!change) { say(`Nothing to ${word}.`); return; }
    const answer = await wire.send(`${bar.dataset.undo}&change=${change}`);
    if (!answer.ok) { say(`Could not ${word}: ${answer.faults[0]?.message}`, true); return; }
    memory.keep(from, list);
    memory.keep(to, [...memory.list(to), answer.change]);
    standing();
    await reload();
    say(word === 'undo' ? 'Undone.' : 'Done again.');
  }

  // The cell is edited where it stands.
  function edit(cell, typed) {
    const column = columnOf(cell);
    const row = cell.parentElement;
    if (!may || !column || !row.dataset.number) return;
    const head = headOf(column);
    const named = `${column.replaceAll('_', ' ')} of ${row.dataset.number}`;
    const mine = {};
    mine.written = new Promise((done) => { mine.done = done; });
    mine.leave = editCell(cell, {
      label: named,
      words: head?.dataset.words?.split(' ').filter(Boolean) ?? [],
      titles: JSON.parse(head?.dataset.titles ?? '{}'),
      pick: head?.dataset.pick,
      value: pending.change(row.dataset.number, column)?.value ?? cell.dataset.value ?? '',
      typed,
      end(take, value, key) {
        // A new row may have been stored meanwhile, and be known by its own number.
        const { number } = row.dataset;
        if (writing === mine) writing = null;
        mine.done();
        const to = key === 'FillEnter' && selected.size > 0 ? [...selected] : [number];
        if (take) { for (const one of to) put(one, column, (one === number ? cell : at(one, column))?.dataset.value ?? '', value); draw(); }
        if (take && head?.dataset.pick && value.trim()) clear(head.dataset.pick, column, to, value);
        if (key === 'Escape' || key === 'FillEnter') cell.focus();
        else if (key === 'Enter') step(cell, 1, 0);
        else if (key) step(cell, 0, key === 'Tab' ? 1 : -1);
        if (take) changed(named);
      },
    });
    writing = mine;
  }

  const at = (number, column) => find(number)?.querySelector(`td[data-column="${column}"]`);

  // A name or a part of one becomes the code that it means, with its name beside it, while it waits.
  async function clear(pick, column, numbers, value) {
    const found = await meant(pick, value.trim());
    if (!found?.code) return;
    for (const number of numbers) {
      const cell = at(number, column);
      if (pending.change(number, column)?.value !== value || !cell) continue;
      put(number, column, cell.dataset.value ?? '', found.code);
      cell.dataset.named = found.name;
    }
    draw();
    if (holding() && found.code !== value) wait();
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

  const forget = () => inTurn(async () => {
    pending.clear();
    fresh?.replaceChildren();
    wait();
    await reload();
    say('What was not stored is dropped.');
  });

  // The topmost of the selected rows gives its value to those below it.
  function fill(row, cell) {
    const list = rows().map((r) => r.dataset.number);
    let numbers = list.filter((n) => selected.has(n));
    // One cell alone takes what stands above it.
    if (numbers.length < 2) numbers = list.slice(Math.max(0, list.indexOf(row.dataset.number) - 1), list.indexOf(row.dataset.number) + 1);
    const column = columnOf(cell);
    if (numbers.length < 2 || !column) { say('Nothing stands above it to be filled down.', true); return; }
    const value = pending.change(numbers[0], column)?.value ?? at(numbers[0], column)?.dataset.value ?? '';
    numbers.slice(1).forEach((number) => put(number, column, at(number, column)?.dataset.value ?? '', value));
    changed(`${column.replaceAll('_', ' ')} filled down`);
  }

  async function panel() {
    const pane = document.getElementById('chart-panel');
    const number = here()?.parentElement.dataset.number;
    if (!pane || pane.hidden || !number) return;
    const answer = await ask(`${table.dataset.panel}${encodeURIComponent(number)}?handler=Panel`);
    if (answer.ok) pane.innerHTML = await answer.text();
  }

  // What each act of the keys does (grid/keys.js says which key is which).
  const acts = {
    undo: () => back('undo', 'redo', 'undo'),
    redo: () => back('redo', 'undo', 'redo'),
    selectAll: () => { rows().forEach((r) => r.dataset.number && selected.add(r.dataset.number)); draw(); },
    fill: (cell, row) => fill(row, cell),
    drop: (cell, row) => drop(row),
    top: () => sight.end(0).then(() => go(cellsOf(rows()[0])[0])),
    bottom: () => sight.end(-1).then(() => go(cellsOf(rows().at(-1)).at(-1))),
    inward: (cell, row) => shift(row, true),
    outward: (cell, row) => shift(row, false),
    extendDown: (cell, row) => { if (!selected.size) anchor = row; select(row, step(cell, 1, 0)); },
    extendUp: (cell, row) => { if (!selected.size) anchor = row; select(row, step(cell, -1, 0)); },
    toggle: (cell, row) => { anchor = row; if (!selected.delete(row.dataset.number)) selected.add(row.dataset.number); draw(); },
    down: (cell) => { step(cell, 1, 0); panel(); },
    up: (cell) => { step(cell, -1, 0); panel(); },
    right: (cell) => step(cell, 0, 1),
    left: (cell) => step(cell, 0, -1),
    pageDown: (cell) => { step(cell, 20, 0); panel(); },
    pageUp: (cell) => { step(cell, -20, 0); panel(); },
    first: (cell, row) => go(cellsOf(row)[0]),
    last: (cell, row) => go(cellsOf(row).at(-1)),
    add: (cell, row) => { go(cellsOf(add() ?? row)[0]); draw(); wait(); },
    leave: () => { if (pending.count && (!holding() || !selected.size)) forget(); selected.clear(); draw(); },
    fold: (cell, row) => fold(row, true),
    unfold: (cell, row) => fold(row, false),
    open: (cell, row) => row.querySelector('a')?.click(),
    beside: () => {
      const pane = document.getElementById('chart-panel');
      pane.hidden = !pane.hidden;
      document.getElementById('chart-work').classList.toggle('with-pane', !pane.hidden);
      panel();
    },
    edit: (cell) => edit(cell),
    empty: (cell, row) => { put(row.dataset.number, columnOf(cell), cell.dataset.value ?? '', ''); changed(`${columnOf(cell)} of ${row.dataset.number} emptied`); },
    type: (cell, row, event) => edit(cell, event.key),
  };

  table.addEventListener('keydown', (event) => {
    const cell = event.target.closest('td[tabindex]');
    if (!cell || event.target.closest('.combo')) return;
    const row = cell.parentElement;
    const act = actOf(event, { column: columnOf(cell), number: row.dataset.number, folds: row.hasAttribute('aria-expanded'), may: !!may, hold });
    if (!act) return;
    acts[act](cell, row, event);
    event.preventDefault();
    event.stopPropagation();
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
    if (begun.length > 0) { wait(); go([...begun[0].cells].find((c) => columnOf(c) === 'account' && !pending.change(begun[0].dataset.number, 'account')) ?? cellsOf(begun[0])[0]); }
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
    window.addEventListener('beforeunload', (event) => { if (pending.count) event.preventDefault(); });
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
