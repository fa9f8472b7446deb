// A block from a spreadsheet: rows by lines, cells by tabs; quoted cells may hold both.
export function block(text) {
  const rows = [[]];
  let cell = '';
  let quoted = false;
  const lines = text.replace(/\r\n?/g, '\n').replace(/\n$/, '');
  for (let i = 0; i < lines.length; i++) {
    const c = lines[i];
    if (quoted) { if (c === '"' && lines[i + 1] === '"') { cell += '"'; i++; } else if (c === '"') quoted = false; else cell += c; }
    else if (c === '"' && cell === '') quoted = true;
    else if (c === '\t' || c === '\n') { rows.at(-1).push(cell); cell = ''; if (c === '\n') rows.push([]); }
    else cell += c;
  }
  rows.at(-1).push(cell);
  return rows;
}

// Puts a block down from a cell on; says what does not fit, and then puts nothing. Rows that are not on the screen are asked
// for: `more(count)` gives those that follow the last one shown. What reaches beyond the last of all becomes new rows.
export async function paste(text, cell, rows, put, noun, add, more) {
  const values = block(text);
  // A block that begins on a new row makes new rows; it never runs on into those that are there.
  const made = cell.parentElement.classList.contains('fresh');
  const shown = rows.slice(rows.indexOf(cell.parentElement)).filter((row) => row.dataset.number && row.classList.contains('fresh') === made).slice(0, values.length);
  const columns = [...cell.parentElement.cells].filter((c) => c.dataset.column && !c.hidden).map((c) => c.dataset.column);
  const first = columns.indexOf(cell.dataset.column);
  const width = Math.max(...values.map((r) => r.length));
  if (first + width > columns.length) return `The block is ${width} cells wide and only ${columns.length - first} fields follow: nothing was pasted.`;
  const targets = shown.map((row) => ({ number: row.dataset.number, held: (column) => [...row.cells].find((c) => c.dataset.column === column)?.dataset.value ?? '' }));
  if (targets.length < values.length && more && !made) {
    for (const row of await more(values.length - targets.length)) targets.push({ number: row.number, held: (column) => row.cells[column] ?? '' });
  }
  if (targets.length < values.length && !add) return `The block has ${values.length} rows and only ${targets.length} ${noun}s follow: nothing was pasted. New ones are brought in as a file.`;
  while (targets.length < values.length) targets.push({ number: add(targets.length), held: () => '' });
  values.forEach((line, i) => line.forEach((value, j) => put(targets[i].number, columns[first + j], targets[i].held(columns[first + j]), value.trim())));
  return null;
}
