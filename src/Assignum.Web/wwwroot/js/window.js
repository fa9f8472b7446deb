// Only the rows around those in sight of a long table are there: room above and below stands for the others, and rows are
// fetched before whoever scrolls comes to them.
import { ask } from './ask.js';

const Window = 300;

export function windowed(table, body, frame, all, drawn) {
  const total = () => Number(table.dataset.total ?? NaN);
  const on = !Number.isNaN(total());
  const height = () => all().find((r) => r.offsetHeight && !r.classList.contains('fresh'))?.offsetHeight ?? 31;
  let start = 0;
  let loading = false;

  function room() {
    if (!on) return;
    const loaded = [...body.rows].filter((r) => !r.classList.contains('pad')).length;
    for (const [where, count] of [['first', start], ['last', Math.max(0, total() - start - loaded)]]) {
      let pad = body.querySelector(`tr.pad.${where}`);
      // Where all rows are there none is measured or moved.
      if (count === 0) { pad?.remove(); continue; }
      if (!pad) { pad = document.createElement('tr'); pad.className = `pad ${where}`; pad.setAttribute('aria-hidden', 'true'); pad.append(document.createElement('td')); }
      pad.style.height = `${count * height()}px`;
      if (where === 'first') body.prepend(pad); else body.append(pad);
    }
  }

  async function load(from, asked = (get) => get()) {
    const found = await asked(async () => {
      const answer = await ask(`${table.dataset.rows}&skip=${from}&take=${Window}`);
      return answer.ok && { rows: answer.headers.get('X-Rows'), html: await answer.text() };
    });
    if (!found) return false;
    if (found.rows) table.dataset.total = found.rows;
    drawn(() => { body.innerHTML = found.html; start = from; room(); });
    const count = document.getElementById('grid-total');
    if (count) count.textContent = Number(table.dataset.total).toLocaleString('en').replaceAll(',', '\u00a0');
    return true;
  }

  async function follow() {
    if (loading || !on) return;
    const seen = Math.ceil(frame.clientHeight / height());
    const top = () => Math.floor(frame.scrollTop / height());
    const end = start + Window;
    if ((top() >= start + 60 || start === 0) && (top() + seen <= end - 60 || end >= total())) return;
    loading = true;
    await load(Math.max(0, Math.min(total() - Window, top() - Math.floor((Window - seen) / 2))));
    loading = false;
    // Whoever scrolled on meanwhile is not left with a gap.
    if (top() < start || top() + seen > start + Window) follow();
  }

  // The first rows, or the last ones.
  async function end(which) {
    if (!on) return;
    const from = which === 0 ? 0 : Math.max(0, total() - Window);
    if (from !== start) await load(from);
    frame.scrollTop = which === 0 ? 0 : frame.scrollHeight;
  }

  // The rows that follow those that are there, by key and cell.
  async function following(count) {
    const loaded = [...body.rows].filter((r) => !r.classList.contains('pad')).length;
    if (!on || !table.dataset.keys || start + loaded >= total()) return [];
    const answer = await ask(`${table.dataset.keys}&skip=${start + loaded}&take=${count}`);
    return answer.ok ? answer.json() : [];
  }

  if (on) frame?.addEventListener('scroll', follow, { passive: true });
  return { on, room, end, following, again: (asked) => load(start, asked) };
}
