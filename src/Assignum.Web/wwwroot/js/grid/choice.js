// A cell edited where it stands: a list where the field has words, else text, with choices where it names something.

/** The word that begins with what was typed, or undefined: words are typed with spaces for their hyphens. */
export const spelled = (words, typed, titles = {}) => words.find((w) => (titles[w] ?? w.replaceAll('-', ' ')).toLowerCase().startsWith(typed.toLowerCase()));

/** Puts a field into a cell. `end(take, value, key)` is told once: whether the value is taken, and by which key. Gives what leaves it. */
export function edit(cell, { label, words, titles = {}, pick, value, typed, end }) {
  const field = document.createElement(words.length ? 'select' : 'input');
  field.className = words.length ? 'form-select' : 'form-control';
  field.id = 'grid-field';
  field.autocomplete = 'off';
  field.setAttribute('aria-label', label);
  for (const word of ['', ...words]) if (words.length) field.add(new Option(titles[word] ?? word.replaceAll('-', ' '), word, false, word === value));
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
    const word = spelled(words, letters + more, titles);
    if (word) { letters += more; field.value = word; }
  };
  if (words.length) { if (typed) spell(typed); } else field.value = typed ?? value;
  field.focus();
  if (!words.length && typed === undefined) field.select();
  if (typed && pick) field.dispatchEvent(new Event('input', { bubbles: true }));
  let done = false;
  const close = (take, key) => {
    if (done) return;
    done = true;
    const now = field.value;
    cell.replaceChildren(...old);
    cell.classList.remove('editing');
    end(take, now, key);
  };
  field.addEventListener('keydown', (event) => {
    event.stopPropagation();
    if (event.defaultPrevented) return;
    if (words.length && event.key.length === 1 && !event.ctrlKey && !event.altKey && !event.metaKey && letters) { spell(event.key); event.preventDefault(); }
    if (!['Escape', 'Enter', 'Tab'].includes(event.key)) return;
    close(event.key !== 'Escape', event.key === 'Tab' && event.shiftKey ? 'BackTab' : event.key === 'Enter' && (event.ctrlKey || event.metaKey) ? 'FillEnter' : event.key);
    event.preventDefault();
  });
  field.addEventListener('picked', (event) => close(true, event.detail ?? 'Enter'));
  // A letter that only opened the list stores nothing when the focus goes elsewhere.
  field.addEventListener('blur', () => setTimeout(() => { if (document.activeElement !== field && !document.getElementById('in-place')?.open) close(!(words.length && letters), null); }, 0));
  return close;
}
