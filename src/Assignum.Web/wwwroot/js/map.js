// The landing map: cells on a canvas that scrolls inside its frame, with a cursor for keys and a block to be painted.
// What is drawn comes as numbers; the table behind says the same in words.
import { ask } from './ask.js';

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
  return `oklch(${light}% ${dark ? 0.085 : 0.075} ${hue.toFixed(1)})`;
}

// A colour of the palette, #RRGGBB, as the number of a point.
const rgb = (hex) => (255 << 24 | parseInt(hex.slice(5, 7), 16) << 16 | parseInt(hex.slice(3, 5), 16) << 8 | parseInt(hex.slice(1, 3), 16)) >>> 0;

// One colour over another.
function mix(over, under, share) {
  let mixed = 255 << 24;
  for (let shift = 0; shift < 24; shift += 8) mixed |= Math.round((over >> shift & 255) * share + (under >> shift & 255) * (1 - share)) << shift;
  return mixed >>> 0;
}

/** A picture of points that cells are put on; what lies outside of it is left out. */
class Raster {
  constructor(width, height, paper) {
    [this.width, this.height] = [Math.max(1, width), Math.max(1, height)];
    this.image = new ImageData(this.width, this.height);
    this.points = new Uint32Array(this.image.data.buffer);
    this.points.fill(paper);
  }

  rect(left, top, right, bottom, colour) {
    const [from, to] = [Math.max(0, left), Math.min(this.width, right)];
    if (from >= to) return;
    const { points, width } = this;
    const end = Math.min(this.height, bottom);
    // Cells are small: a loop is quicker than a call for each row of points.
    for (let y = Math.max(0, top); y < end; y++) for (let i = y * width + from, last = y * width + to; i < last; i++) points[i] = colour;
  }

  put(x, y, colour) { if (x >= 0 && y >= 0 && x < this.width && y < this.height) this.points[y * this.width + x] = colour; }

  hatch(left, top, right, bottom, colour, every) {
    for (let y = Math.max(0, top); y < Math.min(this.height, bottom); y++)
      for (let x = left + (every - (y - top) % every) % every; x < right; x += every) this.put(x, y, colour);
  }

  // A corner of a cell, under (1) or over (-1) where it ends.
  corner(right, end, size, down, colour) {
    for (let i = 0; i < size; i++) {
      const y = down > 0 ? end + i : end - 1 - i;
      if (y >= 0 && y < this.height) this.rect(right - (size - i), y, right, y + 1, colour);
    }
  }

  // The lower right half of a cell, with a line between.
  half(left, top, right, bottom, colour, line) {
    const [w, h] = [right - left, bottom - top];
    for (let y = 0; y < h; y++) {
      const from = left + Math.round(w * (1 - (y + 1) / h));
      this.rect(from, top + y, right, top + y + 1, colour);
      this.put(from, top + y, line);
    }
  }

  cross(left, top, right, bottom, colour) {
    const size = Math.round(Math.min(right - left, bottom - top) / 4);
    const [x, y] = [Math.round((left + right) / 2), Math.round((top + bottom) / 2)];
    for (let i = -size; i <= size; i++) { this.put(x + i, y + i, colour); this.put(x + i, y - i, colour); }
  }
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
    const answer = await ask(query, { headers: { Accept: 'application/json' } });
    if (mine !== asked || !answer.ok) return;
    const before = map && { row: map.rows[at.row]?.key, column: map.columns[at.column]?.key };
    const block = map && from && lines();
    map = await answer.json();
    map.cells = Int32Array.from(map.cells);
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
    const over = Boolean(frame.dataset.over);
    const faint = (place) => over && map.cells[place * WIDE + THEN] === SAME;
    const written = w >= 44 && h >= 16;
    const gap = w > 10 ? 1 : 0;
    const [fills, look] = [paints(night), { paper: rgb(paper), ink: rgb(ink), slate: rgb(slate), rust: rgb(rust), brass: rgb(brass), walnut: rgb(walnut) }];
    const [pale, faints] = [0.55, 0.25].map((share) => fills.map((fill) => mix(fill, look.paper, share)));
    const { cells } = map;
    // Cells are put together as points, all in one picture: thousands of calls to draw would be slower.
    const raster = new Raster(Math.round((width - HEAD) * ratio), Math.round((height - TOP) * ratio), look.paper);
    const all = [];
    for (let row = r0; row <= r1; row++) {
      const [top, bottom] = [Math.round((y(row) - TOP) * ratio), Math.round((y(row) - TOP + h - gap) * ratio)];
      for (let column = c0; column <= c1; column++) {
        const place = row * map.columns.length + column;
        const i = place * WIDE;
        const account = cells[i + ACCOUNT];
        const [left, right] = [Math.round((x(column) - HEAD) * ratio), Math.round((x(column) - HEAD + w - gap) * ratio)];
        all.push(place);
        if (account < 0) raster.cross(left, top, right, bottom, look.rust);
        else {
          // Shade: what passed there lately stands out, what did not is paler.
          const passed = map.volume.get(place);
          const fill = faint(place) ? faints[account]
            : passed ? mix(fills[account], look.paper, 0.75 + 0.25 * Math.log1p(Math.abs(passed.amount)) / Math.log1p(map.most))
            : pale[account];
          raster.rect(left, top, right, bottom, fill);
          if (map.accounts[account].tripwire) raster.hatch(left, top, right, bottom, mix(look.rust, fill, faint(place) ? 0.25 : 0.6), Math.round(6 * ratio));
        }
        const then = cells[i + THEN];
        if (over && then !== SAME) raster.half(left, top, right, bottom, then < 0 ? look.paper : fills[then], look.ink);
        // Edge: a bar at the left, as high as the rung that decides stands on the ladder.
        const decider = cells[i + DECIDER];
        if (decider >= 0 && w >= 12) raster.rect(left, Math.round(bottom - map.deciders[decider].height * (bottom - top)), left + Math.round((w >= 40 ? 4 : 2) * ratio), bottom, faint(place) ? mix(look.walnut, look.paper, 0.4) : look.walnut);
        // Not all of it lands there: the corner is folded. What is found there: a notch.
        if (cells[i + OTHERS] > 0 && w >= 10) raster.corner(right, bottom, Math.round(Math.min(9, w / 3) * ratio), -1, look.ink);
        const sign = cells[i + SIGN];
        if (sign > 0) raster.corner(right, top, Math.round(Math.min(4 + 2 * sign, w / 2) * ratio), 1, sign === 3 ? look.rust : sign === 2 ? look.brass : look.slate);
      }
    }
    g.putImageData(raster.image, Math.round(HEAD * ratio), Math.round(TOP * ratio));
    g.save();
    g.beginPath();
    g.rect(HEAD, TOP, width - HEAD, height - TOP);
    g.clip();
    g.textBaseline = 'middle';
    g.textAlign = 'center';
    g.font = `600 ${h >= 30 ? 12 : 11}px "Assignum Code", monospace`;
    if (written) {
      g.fillStyle = night ? '#fff' : '#23222A';
      for (const place of all) {
        const [account, then] = [map.cells[place * WIDE + ACCOUNT], map.cells[place * WIDE + THEN]];
        if (account < 0) continue;
        const [left, top] = [x(place % map.columns.length), y(Math.floor(place / map.columns.length))];
        g.globalAlpha = faint(place) ? 0.45 : 1;
        g.fillText(map.accounts[account].number, left + w / 2 + 1, top + h / 2 + 1, w - 10);
        if (over && then >= 0 && h >= 30) g.fillText(`→ ${map.accounts[then].number}`, left + w / 2 + 1, top + h - 10, w - 8);
      }
      g.globalAlpha = 1;
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

  // What fits of a text, remembered: measuring is dear.
  const fits = new Map();
  function clipped(g, text, width) {
    const key = `${g.font}|${Math.round(width)}|${text}`;
    if (!fits.has(key)) {
      if (fits.size > 5000) fits.clear();
      let end = text.length;
      if (g.measureText(text).width > width) do end--; while (end > 1 && g.measureText(`${text.slice(0, end)}…`).width > width);
      fits.set(key, end === text.length ? text : `${text.slice(0, end)}…`);
    }
    return fits.get(key);
  }

  // The accounts' colours as numbers, in their order.
  let painted = null;
  function paints(night) {
    if (painted?.of === map.accounts && painted.night === night) return painted.fills;
    const row = document.createElement('canvas');
    row.width = Math.max(1, map.accounts.length);
    row.height = 1;
    const g = row.getContext('2d', { willReadFrequently: true });
    map.accounts.forEach((_, i) => { g.fillStyle = colourOf(i, map.accounts.length, night); g.fillRect(i, 0, 1, 1); });
    const data = g.getImageData(0, 0, row.width, 1).data;
    const fills = map.accounts.map((_, i) => (255 << 24 | data[4 * i + 2] << 16 | data[4 * i + 1] << 8 | data[4 * i]) >>> 0);
    painted = { of: map.accounts, night, fills };
    return fills;
  }

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
      const fill = paints(night)[i];
      const raster = new Raster(14, 14, fill);
      if (account.tripwire) raster.hatch(0, 0, 14, 14, mix(rgb(style('--rust')), fill, 0.6), 6);
      g.putImageData(raster.image, 0, 0);
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
    const answer = await ask(query, { headers: { Accept: 'text/html' } });
    if (!answer.ok) return;
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
