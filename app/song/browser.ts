const KEY = 'tall-kettle browser';
let known: string | undefined;

/**
 * Id of this browser, shared by all of its windows, so that one knows which layers another recorded. Without storage
 * each window has an id of its own.
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
