import { useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';

import { api, body, sendForm, tell, tellError } from '../api/client';
import { useSlug } from '../api/hooks';
import { counted } from '../shared/marks';
import { megabytes } from '../shared/numbers';

type FileWithPath = File & { path?: string };

/** A file with the path that it gets in the project. */
interface Sent {
  file: File;
  path: string;
}

export type Answer = 'replace' | 'keep both' | 'leave out';

/** Paths that are taken already, and how to go on. */
interface Clash {
  paths: string[];
  resolve: (answer: Answer) => void;
}

/** Files sent in one go: few enough to see progress and to cancel, enough not to wait for answers. */
const BATCH = { files: 100, bytes: 32_000_000 };
const PICTURES_AND_ZIPS = /\.(exr|png|jpe?g|tiff?|hdr|dpx|tx|zip)$/i;

/** The path a file has in the project: below the folder it came in, or its bare name. */
const pathOf = (file: FileWithPath) => (file.path || file.webkitRelativePath || file.name).replace(/^\.?\//, '');

/** In a folder lie other files too; what was chosen by itself is taken at its word. */
const isMeant = (file: FileWithPath) => {
  const path = pathOf(file);
  return !path.includes('/') || (PICTURES_AND_ZIPS.test(path) && !/(^|\/)\./.test(path));
};

/** Send files, and have them read by a job once all are there. */
export function useUpload() {
  const slug = useSlug();
  const client = useQueryClient();
  const [progress, setProgress] = useState<{ share: number; doing: string }>();
  const cancelled = useRef(false);

  const [clash, setClash] = useState<Clash>();

  const add = async (dropped: FileWithPath[]) => {
    const meant = dropped.filter(isMeant);
    const others = dropped.length - meant.length;
    if (others > 0) tell(`${counted(others, 'file')} in the folder passed over: no pictures.`);
    cancelled.current = false;
    const path = { slug };
    let sent = { files: 0, bytes: 0 };
    try {
      const files = meant.map((file) => ({ file, path: pathOf(file) }));
      if (files.length === 0) return;
      const every = bytesOf(files);
      const { id } = await body(api.POST('/api/v1/projects/{slug}/intakes', { params: { path } }));
      for (const batch of batches(files)) {
        const doing = `Sending ${sent.files.toLocaleString('en')} of ${files.length.toLocaleString('en')} files, ${megabytes(sent.bytes)} of ${megabytes(every)}`;
        setProgress({ share: sent.bytes / Math.max(every, 1), doing });
        const form = new FormData();
        for (const one of batch) {
          form.append('file', one.file);
          form.append('path', one.path);
        }
        await sendForm(`/api/v1/projects/${slug}/intakes/${id}/files`, form);
        if (cancelled.current) return;
        sent = { files: sent.files + batch.length, bytes: sent.bytes + bytesOf(batch) };
      }
      const intake = { params: { path: { slug, id } } };
      setProgress(undefined);
      const paths = await body(api.GET('/api/v1/projects/{slug}/intakes/{id}/taken', intake));
      const taken =
        paths.length > 0 ? await new Promise<Answer>((resolve) => setClash({ paths, resolve })) : 'replace';
      setClash(undefined);
      await body(api.POST('/api/v1/projects/{slug}/intakes/{id}/start', { ...intake, body: { taken } }));
    } catch (error) {
      tellError(error as Error);
    } finally {
      setProgress(undefined);
      await client.invalidateQueries({ queryKey: [slug] });
    }
  };
  return { add, progress, clash, cancel: () => (cancelled.current = true) };
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

export type Upload = ReturnType<typeof useUpload>;
