// What a change would do is one line that opens, and stays as it was left: open or shut, below the table or beside it.
const OPEN = 'assignum-consequences', BESIDE = 'assignum-beside';

/** Opens what was open before, in a piece of page that was just drawn. */
export function asLeft(place) {
  place?.querySelectorAll('details.consequences').forEach((one) => { one.open ||= localStorage.getItem(OPEN) === 'open'; });
}

// What somebody opens or shuts is kept, by key or by hand; what comes open because it is grave is not.
document.addEventListener('click', (event) => {
  const one = event.target.closest?.('details.consequences > summary')?.parentElement;
  if (one) localStorage.setItem(OPEN, one.open ? 'shut' : 'open');
});
document.body.addEventListener('htmx:afterSettle', (event) => asLeft(event.target));

const button = document.querySelector('[data-beside]');
const work = button?.closest('.work');
function place(beside) {
  work.classList.toggle('with-pane', beside);
  work.classList.toggle('below', !beside);
  const [toBeside, toBelow] = button.dataset.beside.split('|');
  button.textContent = beside ? toBelow : toBeside;
}
if (button) {
  place(localStorage.getItem(BESIDE) === 'yes');
  button.addEventListener('click', () => {
    const beside = work.classList.contains('below');
    localStorage.setItem(BESIDE, beside ? 'yes' : 'no');
    place(beside);
  });
}
