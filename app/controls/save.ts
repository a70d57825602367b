/** Saves bytes as a download of the browser. */
export function saveBytes(name: string, bytes: Uint8Array, type: string): void {
  const address = URL.createObjectURL(new Blob([bytes as BlobPart], { type }));
  const link = document.createElement('a');
  link.href = address;
  link.download = name;
  link.click();
  // The browser reads the bytes after the click has returned.
  setTimeout(() => URL.revokeObjectURL(address), 10_000);
}

/** Downloads a file from the server, under the name that the server gives it. */
export function saveFrom(address: string): void {
  const link = document.createElement('a');
  link.href = address;
  link.download = '';
  link.click();
}
