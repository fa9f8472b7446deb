// Whoever has to sign in sent something before that did not arrive: it is filled in again where it was typed (typed.js).
const KEY = 'assignum-typed';
const kept = JSON.parse(sessionStorage.getItem(KEY) ?? 'null');
if (kept) sessionStorage.setItem(KEY, JSON.stringify({ ...kept, lost: true }));
