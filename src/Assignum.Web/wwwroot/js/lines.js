// Rows of a document's lines: add one, take one away, number them anew.
function number(body) {
  [...body.rows].forEach((row, i) => row.querySelectorAll('[name]').forEach((field) => {
    field.name = field.name.replace(/\[\d+\]/, `[${i}]`);
    field.id = field.name.replace(/[^A-Za-z0-9]/g, '-');
  }));
}

document.addEventListener('click', (event) => {
  const add = event.target.closest('[data-add-row]');
  if (add) {
    const body = document.getElementById(add.dataset.addRow);
    const row = body.rows[body.rows.length - 1].cloneNode(true);
    row.querySelectorAll('input').forEach((input) => { input.value = ''; });
    row.querySelectorAll('.combo ul, .hint, .comes').forEach((left) => left.remove());
    row.removeAttribute('data-says');
    body.append(row);
    number(body);
    row.querySelector('input')?.focus();
  }
  const drop = event.target.closest('[data-drop-row]');
  if (drop) {
    const row = drop.closest('tr');
    const body = row.parentElement;
    if (body.rows.length > 1) row.remove();
    else row.querySelectorAll('input').forEach((input) => { input.value = ''; });
    number(body);
    body.querySelector('input')?.focus();
  }
});
