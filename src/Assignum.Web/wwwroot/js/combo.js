// A field that finds records by code or any part of the name: WAI-ARIA combobox with a list.
import { ask } from './ask.js';

let list = null;
let waiting = 0;

const open = (input) => list && list.dataset.of === input.id;

function close() {
  list?.remove();
  const input = list && document.getElementById(list.dataset.of);
  input?.setAttribute('aria-expanded', 'false');
  input?.removeAttribute('aria-activedescendant');
  list = null;
}

async function show(input) {
  const asked = ++waiting;
  const said = input.value;
  const answer = await ask(`${input.dataset.pick}&q=${encodeURIComponent(input.value)}`, { headers: { Accept: 'text/html' } });
  if (!answer.ok || asked !== waiting || document.activeElement !== input) return;
  // What was marked stays marked while the list narrows.
  const marked = open(input) ? list.querySelector('[aria-selected=true]') : null;
  close();
  list = document.createElement('ul');
  list.setAttribute('role', 'listbox');
  list.setAttribute('aria-label', input.getAttribute('aria-label') ?? 'choices');
  list.id = `${input.id}-list`;
  list.dataset.of = input.id;
  list.dataset.said = said;
  list.innerHTML = await answer.text();
  [...list.children].forEach((option, i) => { option.id = `${list.id}-${i}`; });
  input.parentElement.append(list);
  const again = marked && [...list.children].find((o) => (marked.dataset.create ? o.dataset.create : o.dataset.code === marked.dataset.code));
  if (again) { again.setAttribute('aria-selected', 'true'); input.setAttribute('aria-activedescendant', again.id); }
  input.setAttribute('aria-expanded', 'true');
  input.setAttribute('aria-controls', list.id);
}

function mark(input, step) {
  const options = [...list.querySelectorAll('[role=option]')];
  if (!options.length) return;
  const at = options.findIndex((o) => o.getAttribute('aria-selected') === 'true');
  const next = options[(at + step + options.length) % options.length] ?? options[0];
  options.forEach((o) => o.setAttribute('aria-selected', o === next));
  input.setAttribute('aria-activedescendant', next.id);
  next.scrollIntoView({ block: 'nearest' });
}

// An account that is not there yet: a small form over the page; what it makes is the choice.
async function create(input, offered) {
  // What is written by now, which may be more than when it was offered.
  const address = offered.replace(/name=[^&]*/, `name=${encodeURIComponent(input.value.trim())}`);
  close();
  const dialog = document.getElementById('in-place');
  const show = (html) => { dialog.innerHTML = html; (dialog.querySelector('[autofocus]') ?? dialog.querySelector('input:not([type=hidden])'))?.focus(); };
  const answer = await ask(address, { headers: { Accept: 'text/html' } });
  if (!answer.ok) return;
  dialog.showModal();
  show(await answer.text());
  dialog.onsubmit = async (event) => {
    event.preventDefault();
    const sent = await ask(event.target.action, { method: 'POST', body: new FormData(event.target) });
    if (sent.ok) { input.value = (await sent.json()).number; dialog.close(); input.focus(); input.dispatchEvent(new Event('change', { bubbles: true })); }
    else show(sent.status === 422 ? await sent.text() : '<p class="bad">That could not be stored. Close this and try again.</p>');
  };
  dialog.onclick = (event) => { if (event.target.closest('[data-close]')) dialog.close(); };
  dialog.onclose = () => input.focus();
}

// By which key it was taken, a grid wants to know.
function take(input, option, key = 'Enter') {
  if (option.dataset.create) { create(input, option.dataset.create); return; }
  if (option.getAttribute('aria-disabled') === 'true') return;
  input.value = option.dataset.code;
  close();
  input.dispatchEvent(new Event('change', { bubbles: true }));
  input.dispatchEvent(new CustomEvent('picked', { detail: key }));
}

/** What somebody means who wrote a code, a name or a part of one; `many` says that more than one fits. */
export async function meant(pick, said) {
  const answer = await ask(`${pick}&q=${encodeURIComponent(said)}`, { headers: { Accept: 'text/html' } });
  if (!answer.ok) return null;
  const holder = document.createElement('ul');
  holder.innerHTML = await answer.text();
  const options = [...holder.querySelectorAll('[role=option]:not(.create)')].map((o) => ({ code: o.dataset.code, name: o.lastElementChild.firstChild?.textContent?.trim() ?? '', why: o.querySelector('.why')?.textContent ?? '', unfit: o.getAttribute('aria-disabled') === 'true' }));
  const same = (text) => text.toLowerCase() === said.toLowerCase();
  return options.find((o) => same(o.code)) ?? options.find((o) => same(o.name)) ?? (options.length === 1 ? options[0] : { many: options.length });
}

// On leaving a field: the code of what was meant is put into it, and its name under it.
async function settle(input) {
  const said = input.value.trim();
  const hint = input.parentElement.querySelector('.hint') ?? input.parentElement.appendChild(Object.assign(document.createElement('small'), { className: 'hint', id: `${input.id}-hint` }));
  hint.setAttribute('role', 'status');
  hint.textContent = '';
  if (!said) return;
  const found = await meant(input.dataset.pick, said);
  if (!found || input.value.trim() !== said || document.activeElement === input) return;
  hint.classList.toggle('bad', !found.code || found.unfit);
  hint.textContent = found.code ? `${found.name}${found.why ? `: ${found.why}` : ''}` : found.many ? `${found.many > 11 ? 'Many' : found.many} fit ${said}: choose one` : `Nothing is called ${said}`;
  if (!found.code || found.code === said || found.unfit) return;
  input.value = found.code;
  input.dispatchEvent(new Event('change', { bubbles: true }));
}

document.addEventListener('input', (event) => { if (event.target.matches?.('[data-pick]')) show(event.target); });

// Before the field's own keys: while the list is open they are the list's.
document.addEventListener('keydown', (event) => {
  const input = event.target;
  if (!input.matches?.('[data-pick]')) return;
  if (event.key === 'Escape' && open(input)) { close(); event.preventDefault(); event.stopImmediatePropagation(); }
  if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
    event.preventDefault();
    if (open(input)) mark(input, event.key === 'ArrowDown' ? 1 : -1);
    else show(input);
  }
  if (event.key === 'Tab' && open(input) && !event.shiftKey) {
    const marked = list.querySelector('[aria-selected=true]');
    if (!marked || marked.dataset.create) return;
    // In a grid the next cell is the grid's to find; in a form Tab goes on by itself.
    if (input.id === 'grid-field') { event.preventDefault(); event.stopImmediatePropagation(); }
    take(input, marked, 'Tab');
    return;
  }
  if (event.key === 'Enter' && open(input)) {
    // The first is taken without being marked only where the list is of what is written by now: whoever types faster than it
    // comes means what was typed.
    const marked = list.querySelector('[aria-selected=true]');
    const option = marked ?? (input.value && list.dataset.said === input.value ? list.querySelector('[role=option]:not([aria-disabled]):not(.create)') : null);
    if (option) { event.preventDefault(); event.stopImmediatePropagation(); take(input, option); }
  }
}, true);

document.addEventListener('pointerdown', (event) => {
  const option = event.target.closest('.combo [role=option]');
  if (!option) return;
  event.preventDefault();
  take(document.getElementById(list.dataset.of), option);
});

document.addEventListener('focusout', (event) => { if (event.target.matches?.('[data-pick]')) { waiting++; close(); if (event.target.id !== 'grid-field') settle(event.target); } });
