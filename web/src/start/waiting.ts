/** Files that were chosen before their project was there; they are sent by the first page of it. */
const waiting = new Map<string, File[]>();

export function leaveWaiting(slug: string, files: File[]) {
  if (files.length > 0) waiting.set(slug, files);
}

/** The files that wait for a project; they wait no more. */
export function takeWaiting(slug: string): File[] {
  const files = waiting.get(slug) ?? [];
  waiting.delete(slug);
  return files;
}
