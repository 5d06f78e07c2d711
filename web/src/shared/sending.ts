import { sendForm } from '../api/client';
import { megabytes } from './numbers';

/** A file with the path that it gets in the project. */
export interface Sent {
  file: File;
  path: string;
}

export interface SendingProgress {
  share: number;
  doing: string;
}

/** Files sent in one go: few enough to see progress and to cancel, enough not to wait for answers. */
const BATCH = { files: 100, bytes: 32_000_000 };

/** Send files to an address, some together, until all are there or it is cancelled. */
export async function sendInto(
  address: string,
  files: Sent[],
  onProgress: (progress: SendingProgress) => void,
  isCancelled: () => boolean,
) {
  const every = bytesOf(files);
  let sent = { files: 0, bytes: 0 };
  for (const batch of batches(files)) {
    const doing = `Sending ${sent.files.toLocaleString('en')} of ${files.length.toLocaleString('en')} files, ${megabytes(sent.bytes)} of ${megabytes(every)}`;
    onProgress({ share: sent.bytes / Math.max(every, 1), doing });
    const form = new FormData();
    for (const one of batch) {
      form.append('file', one.file);
      form.append('path', one.path);
    }
    await sendForm(address, form);
    if (isCancelled()) return;
    sent = { files: sent.files + batch.length, bytes: sent.bytes + bytesOf(batch) };
  }
}

const bytesOf = (files: Sent[]) => files.reduce((sum, { file }) => sum + file.size, 0);

function batches(files: Sent[]): Sent[][] {
  const found: Sent[][] = [];
  for (const file of files) {
    const last = found.at(-1);
    if (last && last.length < BATCH.files && bytesOf(last) + file.file.size < BATCH.bytes) last.push(file);
    else found.push([file]);
  }
  return found;
}
