// Forms that send themselves: when a choice changes, and when a file is dropped on them.
document.addEventListener('change', (event) => {
  if (event.target.matches?.('select[data-go]')) window.location.assign(event.target.value);
  const form = event.target.closest('form[data-send-on-change]');
  if (form && event.target.matches('select')) form.requestSubmit();
});

const zone = (event) => event.target.closest?.('[data-drop]');

document.addEventListener('dragover', (event) => {
  if (!zone(event)) return;
  event.preventDefault();
  zone(event).classList.add('over');
});
document.addEventListener('dragleave', (event) => zone(event)?.classList.remove('over'));
document.addEventListener('drop', (event) => {
  const form = zone(event);
  if (!form) return;
  event.preventDefault();
  form.classList.remove('over');
  form.querySelector('input[type=file]').files = event.dataTransfer.files;
  form.requestSubmit();
});

// A leg of a flow is the line of the table with its number: choosing it there shows its ladder.
document.addEventListener('click', (event) => {
  const leg = event.target.closest?.('[data-flow-line]');
  if (!leg || leg.dataset.flowLine === '') return;
  const rows = leg.closest('section, details')?.querySelectorAll('tr[data-line]');
  rows?.[Number(leg.dataset.flowLine)]?.click();
});

document.addEventListener('click', (event) => { if (event.target.closest?.('[data-print]')) window.print(); });
