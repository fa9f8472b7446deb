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

// Puts a block down from a cell on; says what does not fit, and then puts nothing.
export function paste(text, cell, rows, put) {
  const values = block(text);
  const from = rows.indexOf(cell.parentElement);
  const targets = rows.slice(from).filter((row) => row.dataset.number).slice(0, values.length);
  const columns = [...cell.parentElement.cells].filter((c) => c.dataset.column);
  const first = columns.indexOf(cell);
  const width = Math.max(...values.map((r) => r.length));
  if (targets.length < values.length) return `The block has ${values.length} rows and only ${targets.length} accounts follow: nothing was pasted. New accounts are brought in as a file.`;
  if (first + width > columns.length) return `The block is ${width} cells wide and only ${columns.length - first} fields follow: nothing was pasted.`;
  values.forEach((line, i) => {
    const fields = [...targets[i].cells].filter((c) => c.dataset.column);
    line.forEach((value, j) => put(targets[i].dataset.number, fields[first + j].dataset.column, fields[first + j].dataset.value ?? '', value.trim()));
  });
  return null;
}
