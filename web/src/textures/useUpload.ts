import { useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';

import { send, tell } from '../api/client';
import { type Texture, useSlug } from '../api/hooks';

type FileWithPath = File & { path?: string };

/** The path a dropped file has in the project: below the dropped folder, or its bare name. */
const pathOf = (file: FileWithPath) => (file.path ?? file.name).replace(/^\.?\//, '');

/** Bring files in one by one; those that are refused are told, and the rest goes on. */
export function useUpload() {
  const slug = useSlug();
  const client = useQueryClient();
  const [progress, setProgress] = useState('');
  const cancelled = useRef(false);

  const add = async (files: FileWithPath[]) => {
    cancelled.current = false;
    const refused: string[] = [];
    let added = 0;
    for (const [index, file] of files.entries()) {
      if (cancelled.current) break;
      setProgress(`Reading ${index + 1} of ${files.length}: ${file.name}`);
      try {
        await send<Texture>(`/api/projects/${slug}/textures`, { path: pathOf(file), file });
        added += 1;
      } catch (error) {
        refused.push((error as Error).message);
      }
    }
    setProgress('');
    await client.invalidateQueries({ queryKey: [slug] });
    if (added > 0) tell(`${added} of ${files.length} files are in.`);
    for (const reason of refused.slice(0, 5)) tell(reason, 'Left out');
    if (refused.length > 5) tell(`${refused.length - 5} more files were left out for such reasons.`, 'Left out');
  };
  return { add, busy: progress !== '', progress, cancel: () => (cancelled.current = true) };
}
