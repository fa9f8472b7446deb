// Forms that send themselves: when a choice changes, and when a file is dropped on them.
document.addEventListener('change', (event) => {
  if (event.target.matches?.('select[data-go]')) window.location.assign(event.target.value);
  const form = event.target.closest('form[data-send-on-change]');
  if (form && event.target.matches('select')) form.requestSubmit();
});

// A list's filter acts as it is filled in: at once where something is chosen, a moment after the last letter where it is typed;
// where changes wait in the list, it waits for its button.
const FILTER = 'assignum-filter';
const filter = (field) => field.closest?.('form[data-filter]');
let soon = 0;
function narrow(form, field) {
  clearTimeout(soon);
  if (document.querySelector('td.pending, tr.fresh, tr.gone')) return;
  sessionStorage.setItem(FILTER, JSON.stringify({ path: location.pathname, id: field.id }));
  const asked = new URLSearchParams([...new FormData(form)].filter(([, value]) => value !== ''));
  location.replace(`${new URL(form.action).pathname}?${asked}`);
}
document.addEventListener('input', (event) => {
  const form = filter(event.target);
  if (!form || event.target.matches('select, [data-day], [data-pick], [type=checkbox]')) return;
  clearTimeout(soon);
  soon = setTimeout(() => narrow(form, event.target), 600);
});
document.addEventListener('change', (event) => {
  const form = filter(event.target);
  if (!form || form.matches('[data-send-on-change]') || event.target.matches('select[data-go]')) return;
  const field = event.target;
  // What is picked is a choice; what is typed into such a field is one when it is left.
  if (field.matches('select, [data-day], [data-pick], [type=checkbox]')) { clearTimeout(soon); soon = setTimeout(() => narrow(form, field), field.matches('[data-day]') ? 800 : 250); }
});
const narrowed = JSON.parse(sessionStorage.getItem(FILTER) ?? 'null');
if (narrowed?.path === location.pathname) {
  const field = narrowed.id && document.getElementById(narrowed.id);
  field?.focus({ preventScroll: true });
  if (field?.matches('input')) field.setSelectionRange?.(field.value.length, field.value.length);
}
sessionStorage.removeItem(FILTER);

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
