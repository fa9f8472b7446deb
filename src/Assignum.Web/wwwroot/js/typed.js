// What was typed outlives what happens to the page: Ctrl S sends the form one is in, the page stays where it was after that,
// and what a session that has ended did not take is there again after signing in.
const KEY = 'assignum-typed';
const read = () => JSON.parse(sessionStorage.getItem(KEY) ?? 'null');
const write = (kept) => (kept ? sessionStorage.setItem(KEY, JSON.stringify(kept)) : sessionStorage.removeItem(KEY));
const fields = (form) => [...form.elements].filter((f) => f.name && f.type !== 'password' && f.type !== 'file' && !f.name.startsWith('__'));

document.addEventListener('submit', (event) => {
  const form = event.target;
  if (form.method !== 'post' || !form.closest('main')) return;
  const values = fields(form).map((f) => [f.name, f.type === 'checkbox' || f.type === 'radio' ? (f.checked ? f.value : null) : f.value]);
  const most = JSON.stringify(values).length < 200000;
  write({ path: location.pathname, form: form.id, scroll: scrollY, focus: document.activeElement?.id ?? '', at: Date.now(), values: most ? values : [] });
});

// The form that Ctrl S sends: the one the focus is in, else the page's first with a main button.
document.addEventListener('keydown', (event) => {
  if (event.defaultPrevented || event.key.toLowerCase() !== 's' || !(event.ctrlKey || event.metaKey)) return;
  const own = event.target.closest?.('form');
  if (!own && document.querySelector('table[data-grid][data-hold="true"], table[data-grid][data-holds]')) return;
  const form = own?.method === 'post' ? own : [...document.querySelectorAll('main form[method=post]')].find((f) => f.querySelector('.btn-main'));
  const button = form?.querySelector('.btn-main:not([disabled])') ?? form?.querySelector('button:not([type=button]):not([disabled])');
  if (!button) return;
  event.preventDefault();
  form.requestSubmit(button);
});

const kept = read();
if (kept) {
  write(null);
  if (kept.path === location.pathname && Date.now() - kept.at < (kept.lost ? 12 * 3600e3 : 20e3)) {
    if (kept.lost) refill(kept);
    else if (!document.querySelector('[autofocus], [aria-invalid=true]') && !location.hash) { scrollTo(0, kept.scroll); document.getElementById(kept.focus)?.focus({ preventScroll: true }); }
  }
}

function refill({ form: id, values }) {
  const names = new Set(values.map(([name]) => name));
  const form = (id && document.getElementById(id)) || [...document.querySelectorAll('main form[method=post]')].find((f) => fields(f).some((x) => names.has(x.name)));
  if (!form || !values.length) return;
  // Rows that were added by hand are added again.
  for (const add of form.querySelectorAll('[data-add-row]')) {
    const list = add.dataset.addRow;
    const rows = Math.max(0, ...values.map(([name]) => Number(new RegExp(`^${list}\\[(\\d+)\\]`).exec(name)?.[1] ?? -1) + 1));
    for (let i = document.getElementById(list)?.rows.length ?? rows; i < rows; i++) add.click();
  }
  for (const [name, value] of values) {
    const same = fields(form).filter((f) => f.name === name);
    const field = same.length > 1 ? same.find((f) => f.value === value) : same[0];
    if (!field || field.type === 'hidden') continue;
    if (field.type === 'checkbox' || field.type === 'radio') field.checked = value !== null;
    else field.value = value ?? '';
  }
  const said = Object.assign(document.createElement('p'), { className: 'donebox', textContent: 'Your session had ended. What you had typed is here again; nothing of it was stored.' });
  said.setAttribute('role', 'status');
  form.before(said);
  form.querySelector('input:not([type=hidden]), select, textarea')?.focus();
}
