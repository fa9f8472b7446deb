// What a page asks for beside itself. Where no answer comes that is said, once for all that is asked for, and is over with the
// next answer that comes.
const away = 'The server does not answer just now. What you wrote is still here: go on in a moment.';
const ended = 'Your session has ended. What you wrote is still here: sign in in another window, then go on.';

let soon = 0;

/** Notes how an answer came out; 0: none came. */
export function noted(status) {
  clearTimeout(soon);
  const says = status === 401 ? ended : status === 0 || status >= 500 ? away : '';
  if (!says) { document.getElementById('told')?.remove(); return; }
  // Whoever leaves the page breaks off what it asks for: nobody is told of that.
  soon = setTimeout(() => {
    const box = document.getElementById('told') ?? document.body.appendChild(Object.assign(document.createElement('p'), { id: 'told', className: 'alertbox told' }));
    box.setAttribute('role', 'alert');
    box.textContent = says;
  }, 400);
}

/** As fetch, and never throws: where no answer came it gives one that is not ok. */
export async function ask(address, request) {
  const answer = await fetch(address, request).catch(() => null);
  noted(answer?.status ?? 0);
  return answer ?? new Response(null, { status: 503 });
}

document.addEventListener('htmx:sendError', () => noted(0));
document.addEventListener('htmx:responseError', (event) => noted(event.detail.xhr.status));
document.addEventListener('htmx:beforeSwap', (event) => { if (event.detail.xhr.status < 400) noted(200); });
