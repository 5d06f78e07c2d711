import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';

import { api, body, send } from '../api/client';
import { type Render, useSlug } from '../api/hooks';
import { type SendingProgress, sendInto } from '../shared/sending';

const PICTURES = /\.(exr|hdr|tiff?|png|dpx)$/i;

/** Send one render, or many files: those whose names differ in a frame number alone become a sequence. Gives the first
 * of what was made, nothing where there was no picture or it was cancelled. */
export async function sendRenders(
  slug: string,
  chosen: File[],
  onProgress: (progress: SendingProgress) => void = () => undefined,
  isCancelled: () => boolean = () => false,
): Promise<Render | undefined> {
  const files = chosen.filter(({ name }) => chosen.length === 1 || (PICTURES.test(name) && !name.startsWith('.')));
  const [first] = files;
  if (!first) return undefined;
  if (files.length === 1) return send<Render>(`/api/v1/projects/${slug}/renders`, { file: first });
  const { id } = await body(api.POST('/api/v1/projects/{slug}/intakes', { params: { path: { slug } } }));
  const sent = files.map((file) => ({ file, path: file.webkitRelativePath || file.name }));
  await sendInto(`/api/v1/projects/${slug}/intakes/${id}/files`, sent, onProgress, isCancelled);
  if (isCancelled()) return undefined;
  const made = await body(
    api.POST('/api/v1/projects/{slug}/renders/sequences', { params: { path: { slug } }, body: { intake: id } }),
  );
  return made[0];
}

/** Send renders, with how far it is and a way to stop it. */
export function useImportRenders(onImported: (render: number) => void) {
  const slug = useSlug();
  const client = useQueryClient();
  const [progress, setProgress] = useState<SendingProgress>();
  const cancelled = useRef(false);
  const importing = useMutation({
    mutationFn: (chosen: File[]) => {
      cancelled.current = false;
      return sendRenders(slug, chosen, setProgress, () => cancelled.current);
    },
    onSuccess: (render) => render && onImported(render.id),
    onSettled: () => {
      setProgress(undefined);
      return client.invalidateQueries({ queryKey: [slug] });
    },
  });
  return { ...importing, progress, cancel: () => (cancelled.current = true) };
}
