// A ladder whose rungs are moved by keys, buttons and dragging; the form they stand in is told of each change.
const list = document.getElementById('climb');
if (list) {
  const rungs = () => [...list.querySelectorAll('li[draggable]')];
  const told = () => list.dispatchEvent(new Event('change', { bubbles: true }));
  const move = (rung, step) => {
    const all = rungs();
    const to = all[all.indexOf(rung) + step];
    if (!to) return;
    if (step < 0) to.before(rung); else to.after(rung);
    rung.focus();
    told();
  };
  const out = (rung) => { const all = rungs(); const next = all[all.indexOf(rung) + 1] ?? all[all.indexOf(rung) - 1]; rung.remove(); next?.focus(); told(); };
  list.addEventListener('click', (event) => {
    const rung = event.target.closest('li[draggable]');
    if (!rung) return;
    if (event.target.closest('[data-up]')) move(rung, -1);
    if (event.target.closest('[data-down]')) move(rung, 1);
    if (event.target.closest('[data-out]')) out(rung);
  });
  list.addEventListener('keydown', (event) => {
    const rung = event.target.closest('li[draggable]');
    if (!rung || event.target !== rung) return;
    if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) { move(rung, event.key === 'ArrowUp' ? -1 : 1); event.preventDefault(); }
    if (event.key === 'Delete') { out(rung); event.preventDefault(); }
  });
  let dragged = null;
  list.addEventListener('dragstart', (event) => { dragged = event.target.closest('li[draggable]'); event.dataTransfer.setData('text/plain', ''); event.dataTransfer.effectAllowed = 'move'; });
  list.addEventListener('dragover', (event) => { if (dragged && event.target.closest('li[draggable]')) event.preventDefault(); });
  list.addEventListener('drop', (event) => {
    const to = event.target.closest('li[draggable]');
    if (!dragged || !to || to === dragged) return;
    event.preventDefault();
    const all = rungs();
    if (all.indexOf(dragged) > all.indexOf(to)) to.before(dragged); else to.after(dragged);
    told();
  });
  list.addEventListener('dragend', () => { dragged = null; });
}
