// The landing map: cells on a canvas that scrolls inside its frame, with a cursor for keys and a block to be painted.
// What is drawn comes as numbers; the table behind says the same in words.
const frame = document.querySelector('[data-map]');

const ACCOUNT = 0, DECIDER = 1, OTHERS = 2, SHARE = 3, SIGN = 4, THEN = 5, WIDE = 6;
const SAME = -2;
// Sizes of a cell, by step: width, height.
const SIZES = [[7, 6], [14, 11], [28, 18], [54, 24], [78, 32], [112, 44]];
const HEAD = 190, TOP = 92;

/** A colour for the i-th of n accounts in their order: neighbours differ in lightness too. */
export function colourOf(i, n, dark) {
  const hue = (35 + (i * 330) / Math.max(n, 1)) % 360;
  const light = dark ? (i % 2 ? 46 : 58) : (i % 2 ? 70 : 82);
  return { fill: `oklch(${light}% ${dark ? 0.085 : 0.075} ${hue.toFixed(1)})`, ink: dark ? '#fff' : '#23222A' };
}

/** Which cells of a frame are seen: first and last column and row. */
export function seen(scroll, size, cell, head, count) {
  const first = Math.max(0, Math.floor(scroll / cell));
  return [first, Math.min(count - 1, Math.floor((scroll + size - head - 1) / cell))];
}

if (frame) start(frame);

function start(frame) {
  const canvas = frame.querySelector('canvas');
  const space = frame.querySelector('.map-space');
  const says = document.getElementById('map-says');
  const form = document.getElementById('paint-form');
  const address = new URL(frame.dataset.map, location.href);
  let map = null, step = 3, at = { row: 0, column: 0 }, from = null, asked = 0, hover = null;

  const cell = (row, column, what) => map.cells[(row * map.columns.length + column) * WIDE + what];
  const style = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  const dark = () => matchMedia('(prefers-color-scheme: dark)').matches;

  async function load(signs = false) {
    const mine = ++asked;
    if (!signs) delete canvas.dataset.drawn;
    const query = new URL(address);
    query.searchParams.set('handler', 'Cells');
    if (signs) query.searchParams.set('signs', 'true');
    const answer = await fetch(query, { headers: { Accept: 'application/json' } });
    if (mine !== asked || !answer.ok || answer.redirected) return;
    const before = map && { row: map.rows[at.row]?.key, column: map.columns[at.column]?.key };
    const block = map && from && lines();
    map = await answer.json();
    map.volume = new Map(map.volumes.map(([i, said, amount]) => [i, { said, amount }]));
    map.most = Math.max(1, ...map.volumes.map(([, , amount]) => Math.abs(amount)));
    const place = (list, key, or) => { const i = list.findIndex((l) => l.key === key); return i < 0 ? Math.min(or, list.length - 1) : i; };
    at = { row: place(map.rows, before?.row ?? frame.dataset.row, at.row), column: place(map.columns, before?.column ?? frame.dataset.column, at.column) };
    // A block is kept where its corners still are.
    if (block) from = { row: place(map.rows, block.rows[0], at.row), column: place(map.columns, block.columns[0], at.column) };
    legend();
    resize();
    reveal();
    told();
    if (!signs) {
      restore();
      canvas.dataset.drawn = 'cells';
      load(true);
    } else canvas.dataset.drawn = 'signs';
  }

  // ---- drawing ----

  function resize() {
    const [w, h] = SIZES[step];
    const ratio = devicePixelRatio || 1;
    // As large as what it shows, up to the frame.
    const height = Math.min(TOP + map.rows.length * h + 2, Math.max(320, innerHeight - frame.getBoundingClientRect().top - 150));
    frame.style.height = `${height}px`;
    const [width] = [frame.clientWidth];
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(frame.clientHeight * ratio);
    canvas.style.width = `${width}px`;
    canvas.style.height = `${frame.clientHeight}px`;
    space.style.width = `${HEAD + map.columns.length * w}px`;
    space.style.height = `${TOP + map.rows.length * h}px`;
    draw();
  }

  function draw() {
    if (!map) return;
    const began = performance.now();
    const [w, h] = SIZES[step];
    const ratio = devicePixelRatio || 1;
    const g = canvas.getContext('2d');
    g.setTransform(ratio, 0, 0, ratio, 0, 0);
    const [width, height] = [canvas.width / ratio, canvas.height / ratio];
    const night = dark();
    const [paper, ink, slate, rust, brass, hair, walnut] = ['--sheet', '--ink', '--slate', '--rust', '--brass', '--hair', '--walnut'].map(style);
    g.fillStyle = paper;
    g.fillRect(0, 0, width, height);
    const [c0, c1] = seen(frame.scrollLeft, width, w, HEAD, map.columns.length);
    const [r0, r1] = seen(frame.scrollTop, height, h, TOP, map.rows.length);
    const x = (column) => HEAD + column * w - frame.scrollLeft;
    const y = (row) => TOP + row * h - frame.scrollTop;
    const colours = map.accounts.map((_, i) => colourOf(i, map.accounts.length, night));
    const over = Boolean(frame.dataset.over);
    g.save();
    g.beginPath();
    g.rect(HEAD, TOP, width - HEAD, height - TOP);
    g.clip();
    g.textBaseline = 'middle';
    g.textAlign = 'center';
    const written = w >= 44 && h >= 16;
    g.font = `600 ${h >= 30 ? 12 : 11}px "Assignum Code", monospace`;
    const gap = w > 10 ? 1 : 0;
    for (let row = r0; row <= r1; row++) {
      for (let column = c0; column <= c1; column++) {
        const i = (row * map.columns.length + column) * WIDE;
        const account = map.cells[i + ACCOUNT];
        const [left, top] = [x(column), y(row)];
        const then = map.cells[i + THEN];
        const faint = over && then === SAME;
        if (account < 0) {
          cross(g, left, top, w, h, rust);
        } else {
          // Shade: what passed there lately stands out, what did not is paler.
          const passed = map.volume.get(row * map.columns.length + column);
          g.globalAlpha = faint ? 0.25 : passed ? 0.75 + 0.25 * Math.log1p(Math.abs(passed.amount)) / Math.log1p(map.most) : 0.55;
          g.fillStyle = colours[account].fill;
          g.fillRect(left, top, w - gap, h - gap);
          g.globalAlpha = faint ? 0.3 : 1;
          if (map.accounts[account].tripwire) hatch(g, left, top, w - gap, h - gap, rust);
        }
        if (over && !faint) {
          g.beginPath();
          g.moveTo(left + w - gap, top);
          g.lineTo(left + w - gap, top + h - gap);
          g.lineTo(left, top + h - gap);
          g.closePath();
          g.fillStyle = then < 0 ? paper : colours[then].fill;
          g.fill();
          g.strokeStyle = ink;
          g.lineWidth = 1;
          g.beginPath();
          g.moveTo(left, top + h - gap);
          g.lineTo(left + w - gap, top);
          g.stroke();
        }
        // Edge: a bar at the left, as high as the rung that decides stands on the ladder.
        const decider = map.cells[i + DECIDER];
        if (decider >= 0 && w >= 12) {
          const tall = map.deciders[decider].height * (h - gap);
          g.fillStyle = walnut;
          g.fillRect(left, top + h - gap - tall, w >= 40 ? 4 : 2, tall);
        }
        // Not all of it lands there: the corner is folded.
        if (map.cells[i + OTHERS] > 0 && w >= 10) corner(g, left + w - gap, top + h - gap, -Math.min(9, w / 3), ink);
        const sign = map.cells[i + SIGN];
        if (sign > 0) notch(g, left + w - gap, top, Math.min(4 + 2 * sign, w / 2), sign === 3 ? rust : sign === 2 ? brass : slate);
        if (written && account >= 0) {
          g.fillStyle = colours[account].ink;
          g.fillText(map.accounts[account].number, left + w / 2 + 1, top + h / 2 + 1, w - 10);
          if (over && !faint && then >= 0 && h >= 30) g.fillText(`→ ${map.accounts[then].number}`, left + w / 2 + 1, top + h - 10, w - 8);
        }
        g.globalAlpha = 1;
      }
    }
    if (from) {
      const b = block();
      g.strokeStyle = brass;
      g.lineWidth = 3;
      g.strokeRect(x(b.left) + 1, y(b.top) + 1, (b.right - b.left + 1) * w - 3, (b.bottom - b.top + 1) * h - 3);
    }
    if (document.activeElement === canvas || at.row + at.column > 0) {
      g.strokeStyle = ink;
      g.lineWidth = document.activeElement === canvas ? 2.5 : 1;
      g.strokeRect(x(at.column) + 0.5, y(at.row) + 0.5, w - 1, h - 1);
    }
    g.restore();
    heads(g, width, height, { w, h, x, y, r0, r1, c0, c1, paper, ink, slate, rust, brass, hair });
    canvas.dataset.took = (performance.now() - began).toFixed(1);
  }

  function heads(g, width, height, s) {
    g.fillStyle = s.paper;
    g.fillRect(0, 0, HEAD, height);
    g.fillRect(0, 0, width, TOP);
    const every = Math.max(1, Math.ceil(14 / s.h));
    g.save();
    g.beginPath();
    g.rect(0, TOP, HEAD, height - TOP);
    g.clip();
    g.textAlign = 'left';
    g.textBaseline = 'middle';
    for (let row = s.r0; row <= s.r1; row++) {
      const line = map.rows[row];
      if (every > 1 && row % every && row !== at.row) continue;
      const left = 4 + Math.min(line.depth, 6) * 10;
      const mid = s.y(row) + s.h / 2;
      if (row === at.row) { g.fillStyle = style('--pick'); g.fillRect(0, s.y(row), HEAD, Math.max(s.h, 12)); }
      fold(g, line, left, mid, s.slate);
      signed(g, line, HEAD - 8, mid, s);
      g.font = `${line.code ? '600 ' : ''}12px ${line.code ? '"Assignum Code", monospace' : '"Assignum Text", sans-serif'}`;
      g.fillStyle = line.code ? s.ink : s.slate;
      const text = clipped(g, line.code ?? line.name, HEAD - left - 26);
      g.fillText(text, left + 13, mid);
      const used = left + 13 + g.measureText(text).width + 6;
      if (line.code && HEAD - used > 30) {
        g.font = '11.5px "Assignum Text", sans-serif';
        g.fillStyle = s.slate;
        g.fillText(clipped(g, line.name, HEAD - used - 14), used, mid);
      }
    }
    g.restore();
    g.save();
    g.beginPath();
    g.rect(HEAD, 0, width - HEAD, TOP);
    g.clip();
    const aside = Math.max(1, Math.ceil(15 / s.w));
    for (let column = s.c0; column <= s.c1; column++) {
      const line = map.columns[column];
      if (aside > 1 && column % aside && column !== at.column) continue;
      if (column === at.column) { g.fillStyle = style('--pick'); g.fillRect(s.x(column), 0, Math.max(s.w, 14), TOP); }
      g.save();
      g.translate(s.x(column) + Math.max(s.w, 14) / 2, TOP - 5);
      g.rotate(-Math.PI / 2);
      g.textAlign = 'left';
      g.textBaseline = 'middle';
      const left = Math.min(line.depth, 6) * 6;
      fold(g, line, left, 0, s.slate);
      signed(g, line, TOP - 14, 0, s);
      g.font = `${line.code ? '600 12px "Assignum Code", monospace' : '12px "Assignum Text", sans-serif'}`;
      g.fillStyle = line.code ? s.ink : s.slate;
      g.fillText(clipped(g, line.code ?? line.name, TOP - 26 - left), left + 12, 0);
      g.restore();
    }
    g.restore();
    g.fillStyle = s.hair;
    g.fillRect(0, TOP - 1, width, 1);
    g.fillRect(HEAD - 1, 0, 1, height);
    g.fillStyle = s.slate;
    g.font = '11.5px "Assignum Text", sans-serif';
    g.textAlign = 'left';
    g.textBaseline = 'alphabetic';
    g.fillText(`${map.rows.length} × ${map.columns.length}`, 6, TOP - 8);
  }

  function fold(g, line, left, mid, colour) {
    if (!line.opens) return;
    g.fillStyle = colour;
    g.beginPath();
    if (line.open) { g.moveTo(left, mid - 3); g.lineTo(left + 8, mid - 3); g.lineTo(left + 4, mid + 4); }
    else { g.moveTo(left + 1, mid - 4); g.lineTo(left + 8, mid); g.lineTo(left + 1, mid + 4); }
    g.fill();
  }

  function signed(g, line, left, mid, s) {
    if (!line.sign) return;
    g.fillStyle = line.sign === 3 ? s.rust : line.sign === 2 ? s.brass : s.slate;
    g.beginPath();
    g.moveTo(left - 4, mid - 4); g.lineTo(left + 4, mid - 4); g.lineTo(left + 4, mid + 4);
    g.fill();
  }

  function clipped(g, text, width) {
    if (g.measureText(text).width <= width) return text;
    let end = text.length;
    while (end > 1 && g.measureText(`${text.slice(0, end)}…`).width > width) end--;
    return `${text.slice(0, end)}…`;
  }

  function corner(g, right, bottom, size, colour) {
    g.fillStyle = colour;
    g.beginPath();
    g.moveTo(right, bottom); g.lineTo(right + size, bottom); g.lineTo(right, bottom + size);
    g.fill();
  }
  const notch = (g, right, top, size, colour) => {
    g.fillStyle = colour;
    g.beginPath();
    g.moveTo(right, top); g.lineTo(right - size, top); g.lineTo(right, top + size);
    g.fill();
  };
  const cross = (g, left, top, w, h, colour) => {
    g.strokeStyle = colour;
    g.lineWidth = 1;
    g.beginPath();
    g.moveTo(left + w * 0.25, top + h * 0.25); g.lineTo(left + w * 0.75, top + h * 0.75);
    g.moveTo(left + w * 0.75, top + h * 0.25); g.lineTo(left + w * 0.25, top + h * 0.75);
    g.stroke();
  };
  const hatch = (g, left, top, w, h, colour) => {
    g.save();
    g.beginPath();
    g.rect(left, top, w, h);
    g.clip();
    g.strokeStyle = colour;
    g.globalAlpha *= 0.55;
    g.lineWidth = 1;
    g.beginPath();
    for (let d = -h; d < w; d += 6) { g.moveTo(left + d, top + h); g.lineTo(left + d + h, top); }
    g.stroke();
    g.restore();
  };

  function legend() {
    const box = document.getElementById('map-legend');
    const night = dark();
    const list = document.createElement('ul');
    const most = 14;
    const used = new Set();
    for (let i = 0; i < map.cells.length; i += WIDE) { used.add(map.cells[i + ACCOUNT]); if (map.cells[i + THEN] !== SAME) used.add(map.cells[i + THEN]); }
    const told = map.accounts.map((account, i) => [account, i]).filter(([, i]) => used.has(i));
    told.slice(0, most).forEach(([account, i]) => {
      const entry = document.createElement('li');
      const patch = document.createElement('canvas');
      patch.width = patch.height = 14;
      const g = patch.getContext('2d');
      g.fillStyle = colourOf(i, map.accounts.length, night).fill;
      g.fillRect(0, 0, 14, 14);
      if (account.tripwire) hatch(g, 0, 0, 14, 14, style('--rust'));
      patch.setAttribute('aria-hidden', 'true');
      const code = document.createElement('span');
      code.className = 'code';
      code.textContent = account.number;
      entry.append(patch, code, ` ${account.name}${account.tripwire ? ', a tripwire' : ''}`);
      list.append(entry);
    });
    if (told.length > most) { const rest = document.createElement('li'); rest.className = 'quiet'; rest.textContent = `and ${told.length - most} more`; list.append(rest); }
    const words = document.createElement('p');
    words.className = 'quiet mb-1';
    const rungs = [...new Map(map.deciders.map((d) => [d.rung, d.height])).entries()].sort((a, b) => b[1] - a[1]).map(([rung]) => rung);
    words.textContent = `Bar at the left: how high the rung that decides stands (${rungs.join(', ')}). Folded corner: some of it lands elsewhere. Notch: a finding. Paler: nothing passed ${frame.dataset.period}.`
      + (frame.dataset.over ? ` Lower half: as in ${frame.dataset.over}; faint: the same in both.` : '')
      + (map.coarse ? ' Columns are groups only: there are too many records named alone.' : '')
      + (map.cut ? ' More is open than is shown: shut a group.' : '');
    box.replaceChildren(list, words);
  }

  // ---- where one is ----

  function said(row, column) {
    const account = cell(row, column, ACCOUNT);
    const decider = cell(row, column, DECIDER);
    const [r, c] = [map.rows[row], map.columns[column]];
    const name = (l) => (l.code ? `${l.code} ${l.name}` : l.name.toLowerCase());
    const passed = map.volume.get(row * map.columns.length + column);
    const then = cell(row, column, THEN);
    const sign = cell(row, column, SIGN);
    return `${name(r)}${map.columns.length > 1 || c.code ? ` × ${name(c)}` : ''}: `
      + (account < 0 ? 'lands nowhere' : `${map.accounts[account].number} ${map.accounts[account].name}`)
      + (cell(row, column, OTHERS) > 0 ? `, ${cell(row, column, SHARE)} % of it` : '')
      + (decider >= 0 ? `, by ${map.deciders[decider].rung}${map.deciders[decider].key ? ` ${map.deciders[decider].key}` : ''}` : '')
      + (frame.dataset.over && then !== SAME ? `; in ${frame.dataset.over} ${then < 0 ? 'nowhere' : map.accounts[then].number}` : '')
      + (passed ? `; ${passed.said} passed` : '')
      + (sign ? `; ${['', 'worth knowing', 'a warning', 'an error'][sign]}` : '');
  }

  const told = () => { if (map?.rows.length && map.columns.length) says.textContent = said(at.row, at.column); };

  function reveal() {
    const [w, h] = SIZES[step];
    const [width, height] = [frame.clientWidth - HEAD, frame.clientHeight - TOP];
    if (at.column * w < frame.scrollLeft) frame.scrollLeft = at.column * w;
    if ((at.column + 1) * w > frame.scrollLeft + width) frame.scrollLeft = (at.column + 1) * w - width + 2;
    if (at.row * h < frame.scrollTop) frame.scrollTop = at.row * h;
    if ((at.row + 1) * h > frame.scrollTop + height) frame.scrollTop = (at.row + 1) * h - height + 2;
    draw();
  }

  function go(row, column, mark) {
    if (!map) return;
    if (mark && !from) from = { ...at };
    if (!mark) from = null;
    at = { row: Math.max(0, Math.min(map.rows.length - 1, row)), column: Math.max(0, Math.min(map.columns.length - 1, column)) };
    reveal();
    told();
    marked();
  }

  async function explain() {
    const query = new URL(address);
    query.searchParams.set('handler', 'Cell');
    query.searchParams.set('row', map.rows[at.row].key);
    query.searchParams.set('column', map.columns[at.column].key);
    const answer = await fetch(query, { headers: { Accept: 'text/html' } });
    if (!answer.ok || answer.redirected) return;
    document.getElementById('map-cell').innerHTML = await answer.text();
  }

  // Opens a group, lists its records, shuts it.
  function toggle(lines, i, name) {
    const line = lines[i];
    if (!line?.opens) return;
    // What is open stands in the address, each by its key; after = where its records stand together.
    const open = lines.filter((l) => l.open && l !== line).map((l) => (l.listed ? l.key : `=${l.key}`));
    if (!line.open || !line.listed) open.push(line.key);
    address.searchParams.delete(name);
    (open.length ? open : ['']).forEach((key) => address.searchParams.append(name, key));
    history.replaceState(null, '', address);
    if (form) {
      form.action = withHandler('Paint');
      const would = document.getElementById('paint-consequences');
      would.setAttribute('hx-post', withHandler('Consequences'));
      window.htmx?.process(would);
    }
    load();
  }
  const withHandler = (handler) => { const to = new URL(address); to.searchParams.set('handler', handler); return to.pathname + to.search; };

  // ---- the block ----

  const block = () => ({ top: Math.min(at.row, from.row), bottom: Math.max(at.row, from.row), left: Math.min(at.column, from.column), right: Math.max(at.column, from.column) });
  const lines = () => { const b = block(); return { rows: map.rows.slice(b.top, b.bottom + 1).map((l) => l.key), columns: map.columns.slice(b.left, b.right + 1).map((l) => l.key) }; };

  let waiting = 0;
  function marked() {
    if (!form) return;
    form.hidden = !from;
    if (!from) return;
    const { rows, columns } = lines();
    const field = (name) => (key) => { const input = document.createElement('input'); input.type = 'hidden'; input.name = name; input.value = key; return input; };
    document.getElementById('map-marked').replaceChildren(...rows.map(field('line')), ...columns.map(field('column')));
    form.querySelector('[name=stamp]').value = map.stamp;
    document.getElementById('map-block').textContent = `${rows.length} ${rows.length === 1 ? 'row' : 'rows'} by ${columns.length} ${columns.length === 1 ? 'column' : 'columns'}, whatever else is given`;
    clearTimeout(waiting);
    if (form.querySelector('#account').value) waiting = setTimeout(() => document.getElementById('paint-consequences').dispatchEvent(new Event('marked')), 250);
  }

  // A block that was refused is marked again.
  function restore() {
    if (!form || form.hidden || from) return;
    const keys = (name) => new Set([...form.querySelectorAll(`#map-marked [name=${name}]`)].map((i) => i.value));
    const within = (list, set) => list.map((l, i) => [l.key, i]).filter(([key]) => set.has(key)).map(([, i]) => i);
    const [rows, columns] = [within(map.rows, keys('line')), within(map.columns, keys('column'))];
    if (!rows.length || !columns.length) return;
    from = { row: rows[0], column: columns[0] };
    at = { row: rows.at(-1), column: columns.at(-1) };
    reveal();
    marked();
  }

  // ---- keys and the hand ----

  canvas.addEventListener('keydown', (event) => {
    if (!map || event.ctrlKey || event.metaKey || event.altKey) return;
    const page = Math.max(1, Math.floor((frame.clientHeight - TOP) / SIZES[step][1]) - 1);
    const moves = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1], PageUp: [-page, 0], PageDown: [page, 0] };
    if (moves[event.key]) go(at.row + moves[event.key][0], at.column + moves[event.key][1], event.shiftKey);
    else if (event.key === 'Home') go(event.shiftKey ? at.row : 0, 0, event.shiftKey);
    else if (event.key === 'End') go(event.shiftKey ? at.row : map.rows.length - 1, map.columns.length - 1, event.shiftKey);
    else if (event.key === 'Enter') explain();
    else if (event.key === ' ') toggle(map.rows, at.row, 'open');
    else if (event.key === 'c' || event.key === 'C') toggle(map.columns, at.column, 'wide');
    else if (event.key === '+' || event.key === '=') zoom(1);
    else if (event.key === '-' || event.key === '−') zoom(-1);
    else if ((event.key === 'p' || event.key === 'P') && form) { from ??= { ...at }; marked(); draw(); form.querySelector('#account').focus(); }
    else if (event.key === 'n' || event.key === 'N') next();
    else if (event.key === 'Escape') { from = null; marked(); draw(); }
    else return;
    event.preventDefault();
  });

  // To the next cell with a finding, or that differs from what is laid over.
  function next() {
    const all = map.rows.length * map.columns.length;
    const here = at.row * map.columns.length + at.column;
    for (let i = 1; i <= all; i++) {
      const to = (here + i) % all;
      const [row, column] = [Math.floor(to / map.columns.length), to % map.columns.length];
      if (frame.dataset.over ? cell(row, column, THEN) !== SAME : cell(row, column, SIGN) > 0) { go(row, column); return; }
    }
    says.textContent = frame.dataset.over ? 'Both land alike everywhere.' : 'No cell has a finding.';
  }

  function zoom(by) {
    const [w, h] = SIZES[step];
    const [left, top] = [frame.scrollLeft / w, frame.scrollTop / h];
    step = Math.max(0, Math.min(SIZES.length - 1, step + by));
    resize();
    [frame.scrollLeft, frame.scrollTop] = [left * SIZES[step][0], top * SIZES[step][1]];
    reveal();
  }

  function under(event) {
    const box = canvas.getBoundingClientRect();
    const [left, top] = [event.clientX - box.left, event.clientY - box.top];
    const [w, h] = SIZES[step];
    return {
      row: top < TOP ? -1 : Math.floor((top - TOP + frame.scrollTop) / h),
      column: left < HEAD ? -1 : Math.floor((left - HEAD + frame.scrollLeft) / w),
    };
  }
  const inside = (p) => map && p.row >= 0 && p.column >= 0 && p.row < map.rows.length && p.column < map.columns.length;

  let pressed = null;
  canvas.addEventListener('pointerdown', (event) => {
    if (!map || event.button !== 0) return;
    canvas.focus({ preventScroll: true });
    const p = under(event);
    if (inside(p)) {
      go(p.row, p.column, event.shiftKey);
      pressed = p;
      canvas.setPointerCapture(event.pointerId);
    } else if (p.column === -1 && p.row >= 0 && p.row < map.rows.length) { at.row = p.row; toggle(map.rows, p.row, 'open'); }
    else if (p.row === -1 && p.column >= 0 && p.column < map.columns.length) { at.column = p.column; toggle(map.columns, p.column, 'wide'); }
  });
  canvas.addEventListener('pointermove', (event) => {
    const p = under(event);
    if (!inside(p)) return;
    if (pressed) {
      if (p.row !== at.row || p.column !== at.column) { from ??= pressed; go(p.row, p.column, true); }
    } else if (hover?.row !== p.row || hover?.column !== p.column) {
      hover = p;
      canvas.title = said(p.row, p.column);
    }
  });
  canvas.addEventListener('pointerup', () => { if (pressed && !from) explain(); pressed = null; });
  frame.addEventListener('wheel', (event) => { if (event.ctrlKey) { event.preventDefault(); zoom(event.deltaY < 0 ? 1 : -1); } }, { passive: false });
  frame.addEventListener('scroll', () => requestAnimationFrame(draw));
  canvas.addEventListener('focus', draw);
  canvas.addEventListener('blur', draw);
  addEventListener('resize', () => map && resize());
  matchMedia('(prefers-color-scheme: dark)').addEventListener('change', () => { if (map) { legend(); draw(); } });
  document.getElementById('map-unmark')?.addEventListener('click', () => { from = null; marked(); draw(); canvas.focus(); });
  document.fonts.ready.then(() => draw());
  load();
}
