const KEY = 'tall-kettle browser';
let known: string | undefined;

/**
 * A name for this browser, the same in all of its windows: what one of them records, another knows as its own. Without
 * storage it is this window's alone.
 */
export function thisBrowser(): string {
  if (known) return known;
  try {
    known = localStorage.getItem(KEY) ?? crypto.randomUUID();
    localStorage.setItem(KEY, known);
  } catch {
    known ??= crypto.randomUUID();
  }
  return known;
}
