import { useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';

import { api, body, tell, tellError } from '../api/client';
import { useSlug } from '../api/hooks';
import { counted } from '../shared/marks';
import { type SendingProgress, sendInto } from '../shared/sending';

type FileWithPath = File & { path?: string };

export type Answer = 'replace' | 'keep both' | 'leave out';

/** Paths that are taken already, and how to go on. */
interface Clash {
  paths: string[];
  resolve: (answer: Answer) => void;
}

const PICTURES_AND_ZIPS = /\.(exr|png|jpe?g|tiff?|hdr|dpx|tx|zip)$/i;

/** The path of a file below the folder that was picked or dropped, or its bare name. */
export const pathOf = (file: FileWithPath) => (file.path || file.webkitRelativePath || file.name).replace(/^\.?\//, '');

/** In a folder lie other files too; what was chosen by itself is taken at its word. */
const isMeant = (file: FileWithPath) => {
  const path = pathOf(file);
  return !path.includes('/') || (PICTURES_AND_ZIPS.test(path) && !/(^|\/)\./.test(path));
};

/** Send files, and have them read by a job once all are there. */
export function useUpload() {
  const slug = useSlug();
  const client = useQueryClient();
  const [progress, setProgress] = useState<SendingProgress>();
  const cancelled = useRef(false);

  const [clash, setClash] = useState<Clash>();

  const add = async (dropped: FileWithPath[]) => {
    const meant = dropped.filter(isMeant);
    const others = dropped.length - meant.length;
    if (others > 0) tell(`${counted(others, 'file')} in the folder passed over: no pictures.`);
    cancelled.current = false;
    const path = { slug };
    try {
      const files = meant.map((file) => ({ file, path: pathOf(file) }));
      if (files.length === 0) return;
      const { id } = await body(api.POST('/api/v1/projects/{slug}/intakes', { params: { path } }));
      await sendInto(`/api/v1/projects/${slug}/intakes/${id}/files`, files, setProgress, () => cancelled.current);
      if (cancelled.current) return;
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

export type Upload = ReturnType<typeof useUpload>;
