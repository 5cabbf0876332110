/** Hands a text or a picture to the browser to be saved as a file. */
export function saveAs(name: string, content: string | Blob, type = 'text/csv;charset=utf-8'): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([content], { type }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
