/** Hands a text to the browser to be saved as a file. */
export function saveAs(name: string, text: string, type = 'text/csv;charset=utf-8'): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
