// Draws what is known of rows into them: what is folded away, selected, to go, waits and is wrong. Takes a table's rows as
// they are and asks nobody.

/** Which rows stand below a folded heading, in order; `folds` says which headings there are. */
export function hiddenBelow(rows, folded) {
  let deep = Infinity;
  return rows.map(({ number, level, folds }) => {
    if (level <= deep) deep = Infinity;
    const hidden = level > deep;
    if (folds && folded.has(number) && level < deep) deep = level;
    return hidden;
  });
}

export class Drawing {
  // What cells said before a change waited in them.
  #said = new WeakMap();

  rows(rows, { pending, selected, folded }) {
    const hidden = hiddenBelow(rows.map((row) => ({
      number: row.dataset.number,
      level: Number(row.getAttribute('aria-level') ?? 1),
      folds: row.hasAttribute('aria-expanded'),
    })), folded);
    rows.forEach((row, i) => {
      row.hidden = hidden[i];
      const number = row.dataset.number;
      if (row.hasAttribute('aria-expanded')) row.setAttribute('aria-expanded', String(!folded.has(number)));
      if (!number) return;
      row.setAttribute('aria-selected', String(selected.has(number)));
      row.classList.toggle('gone', pending.goes(number));
      for (const cell of row.cells) if (cell.dataset.column) this.#cell(cell, pending.change(number, cell.dataset.column), pending.fault(number, cell.dataset.column));
    });
  }

  #cell(cell, change, fault) {
    if (change) {
      if (!this.#said.has(cell)) this.#said.set(cell, [...cell.childNodes]);
      cell.textContent = change.value;
      cell.classList.add('pending');
    } else if (this.#said.has(cell)) {
      // Back to what is stored: the cell says so again.
      cell.replaceChildren(...this.#said.get(cell));
      this.#said.delete(cell);
      cell.classList.remove('pending');
    }
    if (!change && !fault && !cell.classList.contains('wrong')) return;
    cell.classList.toggle('wrong', !!fault);
    if (fault) cell.setAttribute('aria-invalid', 'true'); else cell.removeAttribute('aria-invalid');
    cell.title = fault ?? '';
  }
}
