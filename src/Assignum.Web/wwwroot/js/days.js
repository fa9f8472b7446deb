// Fields for days: arrows go by a day, page keys by a month, and what was typed is written in the reader's form when the
// field is left. What is no day stays as it was typed; the server says so.
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

// A day as a date of UTC, or null. The same forms as the server's (Core/Calendar/WrittenDay.cs).
export function read(text, form) {
  const parts = text.trim().replaceAll(',', ' ').split(/[\s./-]+/);
  if (parts.length !== 3) return null;
  const month = (part) => (/^\p{L}{3,}$/u.test(part) ? MONTHS.findIndex((m) => part.toLowerCase().startsWith(m.toLowerCase())) : -1);
  let [y, m, d] = [0, 0, 0];
  if (/^\d{4}$/.test(parts[0])) [y, m, d] = [parts[0], parts[1] - 1, parts[2]];
  else if (month(parts[1]) >= 0) [d, m, y] = [parts[0], month(parts[1]), parts[2]];
  else if (month(parts[0]) >= 0) [m, d, y] = [month(parts[0]), parts[1], parts[2]];
  else if (form === 'MonthFirst') [m, d, y] = [parts[0] - 1, parts[1], parts[2]];
  else [d, m, y] = [parts[0], parts[1] - 1, parts[2]];
  if (!/^\d{1,2}$/.test(d) || !/^(\d{2}|\d{4})$/.test(y) || !Number.isInteger(m)) return null;
  const year = Number(y) < 100 ? 2000 + Number(y) : Number(y);
  const day = new Date(Date.UTC(year, m, Number(d)));
  return day.getUTCMonth() === m && day.getUTCDate() === Number(d) ? day : null;
}

export function write(day, form) {
  const [y, m, d] = [day.getUTCFullYear(), day.getUTCMonth(), day.getUTCDate()];
  if (form === 'YearFirst') return `${y}-${String(m + 1).padStart(2, '0')}-${String(d).padStart(2, '0')}`;
  return form === 'MonthFirst' ? `${MONTHS[m]} ${d}, ${y}` : `${d} ${MONTHS[m]} ${y}`;
}

document.addEventListener('change', (event) => {
  const field = event.target.closest?.('input[data-day]');
  const day = field && read(field.value, field.dataset.day);
  if (day) field.value = write(day, field.dataset.day);
}, true);

const STEPS = { ArrowUp: [1, 0], ArrowDown: [-1, 0], PageUp: [0, 1], PageDown: [0, -1] };
document.addEventListener('keydown', (event) => {
  const field = event.target.closest?.('input[data-day]');
  const step = STEPS[event.key];
  if (!field || !step || field.readOnly || event.ctrlKey || event.altKey || event.metaKey) return;
  const day = read(field.value, field.dataset.day);
  if (!day) return;
  event.preventDefault();
  day.setUTCDate(day.getUTCDate() + step[0]);
  const wanted = day.getUTCMonth() + step[1];
  if (step[1]) {
    day.setUTCMonth(wanted);
    // The last of a shorter month where there is no such day.
    if (day.getUTCMonth() !== (wanted + 12) % 12) day.setUTCDate(0);
  }
  field.value = write(day, field.dataset.day);
  field.dispatchEvent(new Event('change', { bubbles: true }));
});
