// The keys of a grid as a table: the first that fits says what is done. `may`: only who may change; `hold`: only where changes
// wait until they are saved; `text`: a letter that is typed into a cell.
const NUMBER = 'number';
const inField = (at) => at.column && at.column !== NUMBER;

export const KEYS = [
  { key: 'z', ctrl: true, shift: false, may: true, act: 'undo' },
  { key: 'z', ctrl: true, may: true, act: 'redo' },
  { key: 'y', ctrl: true, may: true, act: 'redo' },
  { key: 'a', ctrl: true, act: 'selectAll' },
  { key: 'd', ctrl: true, may: true, hold: true, act: 'fill' },
  { key: 'Delete', ctrl: true, may: true, hold: true, act: 'drop' },
  { key: 'Home', ctrl: true, act: 'top' },
  { key: 'End', ctrl: true, act: 'bottom' },
  { ctrl: true, act: null },
  { key: 'ArrowRight', alt: true, may: true, act: 'inward' },
  { key: 'ArrowLeft', alt: true, may: true, act: 'outward' },
  { alt: true, act: null },
  { key: 'ArrowDown', shift: true, act: 'extendDown' },
  { key: 'ArrowUp', shift: true, act: 'extendUp' },
  { key: ' ', shift: true, act: 'toggle' },
  { key: 'ArrowDown', act: 'down' },
  { key: 'ArrowUp', act: 'up' },
  { key: 'ArrowRight', act: 'right' },
  { key: 'ArrowLeft', act: 'left' },
  { key: 'PageDown', act: 'pageDown' },
  { key: 'PageUp', act: 'pageUp' },
  { key: 'Home', act: 'first' },
  { key: 'End', act: 'last' },
  { key: 'Insert', may: true, hold: true, act: 'add' },
  { key: 'Escape', act: 'leave' },
  { key: '-', when: (at) => at.folds, act: 'fold' },
  { key: '+', when: (at) => at.folds, act: 'unfold' },
  { key: 'Enter', when: (at) => at.column === NUMBER, act: 'open' },
  { key: 'b', when: (at) => at.column === NUMBER, act: 'beside' },
  { key: 'Enter', may: true, act: 'edit' },
  { key: 'F2', may: true, act: 'edit' },
  { key: 'Delete', may: true, when: (at) => inField(at) && at.number, act: 'empty' },
  { key: 'Backspace', may: true, when: (at) => inField(at) && at.number, act: 'empty' },
  { text: true, may: true, when: (at) => at.column !== NUMBER, act: 'type' },
];

/** The act of a key press, or null where the grid has none. `at` says where: column, number, folds, may, hold. */
export function actOf(event, at) {
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  const ctrl = event.ctrlKey || event.metaKey;
  const typed = event.key.length === 1 && ![' ', '?', '/'].includes(key);
  const fits = (row) => (row.text ? typed : row.key === undefined || row.key === key)
    && (row.ctrl ?? false) === ctrl
    && (row.alt === undefined ? ctrl || !event.altKey : row.alt === event.altKey)
    && (row.shift === undefined || row.shift === event.shiftKey)
    && (!row.may || at.may) && (!row.hold || at.hold) && (!row.when || row.when(at));
  return KEYS.find(fits)?.act ?? null;
}
