// Says beside a grid where what stands in the marked cell comes from.
const said = document.getElementById('grid-source');
if (said) {
  document.querySelector('table[data-grid]')?.addEventListener('focusin', (event) => {
    const cell = event.target.closest('td[data-source]');
    if (!cell) return;
    const [head, ...rest] = cell.dataset.source.split('\n');
    const title = document.createElement('strong');
    title.textContent = head;
    said.replaceChildren(title, ...rest.flatMap((line) => [document.createElement('br'), line]));
  });
}
