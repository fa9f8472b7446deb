// What a grid says to the server and hears from it.
import { ask } from '../ask.js';

const away = { number: '', column: '', message: 'That could not be stored: what you changed is still here. Try again in a moment.' };

const ended = { ...away, message: 'Your session has ended: what you changed is still here. Sign in in another window, then save it again.' };

export class Wire {
  #token;
  #asking = 0;

  /** `token` gives the form's token when it is asked for. */
  constructor(token) { this.#token = token; }

  #post(address, content) {
    const headers = { 'X-Form-Token': this.#token() };
    // What carries nothing says so: an act by its address alone.
    if (content === undefined) return ask(address, { method: 'POST', headers });
    return ask(address, { method: 'POST', headers: { ...headers, 'Content-Type': 'application/json' }, body: JSON.stringify(content) });
  }

  /** Sends, and gives what came back; an answer that is none of ours is a fault of no cell. */
  async send(address, content) {
    const answer = await this.#post(address, content);
    if (!answer.headers.get('content-type')?.includes('json')) return { ok: false, faults: [answer.status === 401 ? ended : away] };
    return { ok: answer.ok, ...await answer.json() };
  }

  /** Asks, a moment after the last time it was asked for, for a piece of page; null where somebody asked again meanwhile. */
  async look(address, content, moment, asked) {
    const mine = ++this.#asking;
    await new Promise((done) => { setTimeout(done, moment); });
    if (mine !== this.#asking) return null;
    asked?.();
    const answer = await this.#post(address, content);
    if (mine !== this.#asking) return null;
    return answer.ok || answer.status === 422 ? answer.text() : '';
  }

  /** What was asked for is wanted by nobody any more. */
  forget() { this.#asking++; }
}

/** Changes that can be undone and done again, kept for this window. */
export class Memory {
  #name;
  #most = 100;

  constructor(entity) { this.#name = (list) => `grid-${entity}-${list}`; }

  list(name) { return JSON.parse(sessionStorage.getItem(this.#name(name)) ?? '[]'); }

  keep(name, list) { sessionStorage.setItem(this.#name(name), JSON.stringify(list.slice(-this.#most))); }

  /** A new change: what was undone before cannot be done again. */
  made(change) { this.keep('undo', [...this.list('undo'), change]); this.keep('redo', []); }
}
