// An entry by hand: Enter and the arrows go through the lines, a pasted block fills them, and what the server says of each line
// stands beside it while it is typed.
import { ask } from './ask.js';
import { block } from './paste.js';

const form = document.querySelector('form[data-hand]');
const body = form && document.getElementById('lines');
const rowOf = (field) => field.closest('tr');
const columnOf = (field) => field.closest('td')?.dataset.column;
const fieldIn = (row, column) => row?.querySelector(`td[data-column="${column}"] input`);
let waits = 0;
let asked = 0;

// What was said while a later change was typed is not shown.
async function check() {
  const mine = ++asked;
  const answer = await ask(form.dataset.hand, { method: 'POST', body: new FormData(form) });
  if (!answer.ok || mine !== asked) return;
  const says = document.getElementById('says');
  says.innerHTML = await answer.text();
  [...body.rows].forEach((row, i) => {
    const of = [...says.querySelectorAll(`[data-line="${i}"]`)].map((li) => li.dataset.severity);
    row.dataset.says = of.includes('error') ? 'error' : of.includes('warning') ? 'warning' : of.length ? 'hint' : '';
  });
  // What a formula comes to stands under it.
  body.querySelectorAll('.comes').forEach((left) => left.remove());
  says.querySelectorAll('[data-worked]').forEach((worked) => {
    const field = fieldIn(body.rows[worked.dataset.worked], worked.dataset.side);
    field?.after(Object.assign(document.createElement('small'), { className: 'comes num', textContent: `= ${worked.textContent}` }));
  });
  form.dataset.looked = mine;
}

function soon() {
  clearTimeout(waits);
  waits = setTimeout(check, 350);
}

function another() {
  document.querySelector('[data-add-row="lines"]').click();
  return body.rows[body.rows.length - 1];
}

// Over the lines that are shown: what is lacking goes where the sign was typed.
function lacking(field) {
  const number = (text) => Number(text.replace(/[\u00a0\u202f ]/g, '').replace(/,(?=\d{3}(\D|$))/g, '').replace(',', '.')) || 0;
  let cents = 0;
  for (const row of body.rows) {
    if (row === rowOf(field)) continue;
    cents += Math.round(100 * number(fieldIn(row, 'debit').value)) - Math.round(100 * number(fieldIn(row, 'credit').value));
  }
  const own = columnOf(field) === 'debit' ? -cents : cents;
  field.value = own > 0 ? (own / 100).toFixed(2) : '';
  if (own < 0) fieldIn(rowOf(field), columnOf(field) === 'debit' ? 'credit' : 'debit').value = (-own / 100).toFixed(2);
}

function put(text, field) {
  const values = block(text);
  const columns = [...rowOf(field).cells].filter((c) => c.dataset.column && c.offsetParent).map((c) => c.dataset.column);
  const first = columns.indexOf(columnOf(field));
  const rows = [...body.rows];
  const at = rows.indexOf(rowOf(field));
  if (at + values.length > Number(body.dataset.most)) {
    // Too many to be fields: they stay text, and are looked at and posted with the others.
    document.getElementById('pasted').classList.remove('folded');
    const bulk = document.getElementById('bulk');
    bulk.value = text.replace(/\r\n?/g, '\n');
    bulk.focus();
    return;
  }
  values.forEach((line, i) => {
    const row = body.rows[at + i] ?? another();
    line.forEach((value, j) => {
      const target = columns[first + j] && fieldIn(row, columns[first + j]);
      if (target) target.value = value.trim();
    });
  });
  field.focus();
}

if (form) {
  body.addEventListener('paste', (event) => {
    const text = event.clipboardData?.getData('text') ?? '';
    if (!event.target.matches('input') || !/[\t\n]/.test(text.trim())) return;
    event.preventDefault();
    put(text, event.target);
    soon();
  });
  form.addEventListener('input', (event) => {
    const column = columnOf(event.target);
    if ((column === 'debit' || column === 'credit') && event.target.value === '=') lacking(event.target);
    if (event.target.name !== 'name') soon();
  });
  form.addEventListener('change', soon);
  form.addEventListener('click', (event) => { if (event.target.closest('[data-drop-row]')) soon(); });
  body.addEventListener('keydown', (event) => {
    const field = event.target;
    if (!field.matches('input') || event.ctrlKey || event.metaKey || event.altKey) return;
    const column = columnOf(field);
    const row = rowOf(field);
    if (event.key === 'Enter') {
      // Over the amount to the next line; from an account to its amount.
      event.preventDefault();
      if (column === 'account') fieldIn(row, 'debit').focus();
      else fieldIn(row.nextElementSibling ?? another(), 'account').focus();
    }
    if ((event.key === 'ArrowDown' || event.key === 'ArrowUp') && !field.matches('[data-pick], [type=date]')) {
      const to = event.key === 'ArrowDown' ? row.nextElementSibling : row.previousElementSibling;
      if (to) { event.preventDefault(); fieldIn(to, column)?.focus(); }
    }
  });
  if (!document.querySelector('[aria-invalid=true]')) fieldIn(body.rows[0], 'account')?.focus({ preventScroll: true });
}
