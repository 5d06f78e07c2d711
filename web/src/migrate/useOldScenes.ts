import { useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { useSearchParams } from 'react-router';

import { api, body, queryClient, type Schemas, tellError } from '../api/client';
import { isBusy, useSlug } from '../api/hooks';
import { type SendingProgress, sendInto } from '../shared/sending';

export type OldScene = Schemas['OldScene'];
export type Habit = Schemas['Habit'];
export type MigrationStep = Schemas['MigrationStep'];
export type Report = Schemas['MigrationReport'];
/** A step of a plan with its settings. */
export type PlannedStep = Record<string, unknown> & { step: string };

/** The scenes that the project has read, looked at again while something is done with one. */
export function useOldScenes() {
  const slug = useSlug();
  return useQuery({
    queryKey: [slug, 'old-scenes'],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/old-scenes', { params: { path: { slug } } })),
    refetchInterval: ({ state }) => (state.data?.some(({ job }) => isBusy(job)) ? 700 : false),
  });
}

export const useMigrationSteps = () =>
  useQuery({ queryKey: ['migration-steps'], queryFn: () => body(api.GET('/api/v1/migration-steps')), staleTime: Infinity });

/** Send the files of a scene, with their paths below the folder that was picked. */
export function useSendScene(onSent: (scene: OldScene) => void) {
  const slug = useSlug();
  const [progress, setProgress] = useState<SendingProgress>();
  const cancelled = useRef(false);
  const send = async (files: File[]) => {
    cancelled.current = false;
    setProgress({ share: 0, doing: 'Sending the scene' });
    try {
      const { id } = await body(api.POST('/api/v1/projects/{slug}/old-scenes/sent', { params: { path: { slug } } }));
      const of = { params: { path: { slug, id } } };
      const sent = files.map((file) => ({ file, path: pathOf(file) }));
      await sendInto(`/api/v1/projects/${slug}/old-scenes/${id}/sent-files`, sent, setProgress, () => cancelled.current);
      if (cancelled.current) {
        await body(api.DELETE('/api/v1/projects/{slug}/old-scenes/{id}', of));
        return;
      }
      const made = await body(api.POST('/api/v1/projects/{slug}/old-scenes/{id}/read', of));
      await queryClient.invalidateQueries({ queryKey: [slug] });
      onSent(made);
    } catch (error) {
      tellError(error as Error);
    } finally {
      setProgress(undefined);
    }
  };
  return { send, progress, cancel: () => (cancelled.current = true) };
}

/** Of a picked folder the path below it; of dropped files the path that the drop gives. */
function pathOf(file: File & { path?: string }): string {
  const below = file.webkitRelativePath ? file.webkitRelativePath.split('/').slice(1).join('/') : (file.path ?? file.name);
  return below.replace(/^(\.?\/)+/, '') || file.name;
}

/** The scene that is looked at stands in the address. */
export function useChosenScene() {
  const [search, setSearch] = useSearchParams();
  const choose = (id: number | undefined) =>
    setSearch((before) => {
      const after = new URLSearchParams(before);
      if (id === undefined) after.delete('scene');
      else after.set('scene', String(id));
      return after;
    });
  return { chosen: search.has('scene') ? Number(search.get('scene')) : undefined, choose };
}
