// What was changed and waits: cells by row and column, rows that are to go, and what the server said is wrong with them.
// Pure: it knows neither table nor server.
const SEPARATOR = '\u001f';

/** Whether a row is only here: it has no key of its own before it is stored. */
export const isNew = (number) => number.startsWith('new:');

export const keyOf = (number, column) => `${number}${SEPARATOR}${column}`;

export class Pending {
  #cells = new Map();
  #gone = new Map();
  #faults = new Map();

  /** How many changes wait. */
  get count() { return this.#cells.size + this.#gone.size; }

  /** The change that waits in a cell, or undefined. */
  change(number, column) { return this.#cells.get(keyOf(number, column)); }

  /** Why a cell was refused, or undefined. */
  fault(number, column) { return this.#faults.get(keyOf(number, column)); }

  /** Whether a row is to go. */
  goes(number) { return this.#gone.has(number); }

  /** Whether anything that waits is in one of some columns. */
  touches(columns) { return [...this.#cells.values()].some((change) => columns.has(change.column)); }

  /** A cell gets a value. Back to what it was: nothing waits in it. What was said to be wrong with it is over. */
  put(number, column, was, value) {
    const key = keyOf(number, column);
    const before = this.#cells.get(key)?.was ?? was;
    this.#faults.delete(key);
    if (value === before) this.#cells.delete(key); else this.#cells.set(key, { number, column, was: before, value });
  }

  /** A row that is only here is forgotten; one that is stored goes, or stays after all. The stamp is the row as it was seen. */
  drop(number, stamp) {
    if (!isNew(number)) { if (!this.#gone.delete(number) && stamp) this.#gone.set(number, stamp); return; }
    for (const [key, change] of this.#cells) if (change.number === number) { this.#cells.delete(key); this.#faults.delete(key); }
  }

  /** What the server is sent. */
  content() {
    return {
      edits: [...this.#cells.values()].map(({ number, column, was, value }) => ({ number, column, was, value })),
      gone: [...this.#gone].map(([number, stamp]) => ({ number, stamp })),
    };
  }

  /** Takes what is wrong. What is wrong with no cell that is shown stands in the first of its row that was changed. */
  refuse(faults, shows) {
    const firsts = new Map();
    for (const [key, change] of this.#cells) if (!firsts.has(change.number)) firsts.set(change.number, key);
    this.#faults.clear();
    const rows = [];
    for (const fault of faults) {
      if (!firsts.has(fault.number)) continue;
      const key = keyOf(fault.number, fault.column);
      const seen = shows(fault.column);
      this.#faults.set(seen === true || seen !== false && this.#cells.has(key) ? key : firsts.get(fault.number), fault.message);
      rows.push(fault.number);
    }
    return rows;
  }

  /** What was sent is stored. Only what was changed since waits, against what is stored now; rows that are kept under
   * another key than they were sent by are known by that. */
  taken({ edits, gone }, keys = new Map()) {
    this.#faults.clear();
    for (const { number, stamp } of gone) if (this.#gone.get(number) === stamp) this.#gone.delete(number);
    for (const { number, column, was, value } of edits) {
      const key = keyOf(number, column);
      const waits = this.#cells.get(key);
      // Where nothing waits it was put back meanwhile to what it had been: that is to be stored now.
      const then = waits ? waits.value : isNew(number) ? value : was ?? value;
      if (then === value) this.#cells.delete(key);
      else this.#cells.set(key, { number, column, was: value, value: then });
    }
    // All at once: two rows may have exchanged their keys.
    const now = (number) => keys.get(number) ?? number;
    this.#cells = new Map([...this.#cells.values()].map((change) => [keyOf(now(change.number), change.column), { ...change, number: now(change.number) }]));
    this.#gone = new Map([...this.#gone].map(([number, stamp]) => [now(number), stamp]));
  }

  /** Nothing waits any more. */
  clear() {
    this.#cells.clear();
    this.#gone.clear();
    this.#faults.clear();
  }
}
