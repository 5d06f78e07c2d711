import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';

import { api, body, queryClient, type Schemas, sendForm, tellError } from '../api/client';
import { isBusy, useSlug } from '../api/hooks';

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
  const [busy, setBusy] = useState(false);
  const send = async (files: File[]) => {
    const form = new FormData();
    for (const file of files) {
      form.append('file', file);
      form.append('path', pathOf(file));
    }
    setBusy(true);
    try {
      const made = await sendForm<OldScene>(`/api/v1/projects/${slug}/old-scenes/sent`, form);
      await queryClient.invalidateQueries({ queryKey: [slug] });
      onSent(made);
    } catch (error) {
      tellError(error as Error);
    } finally {
      setBusy(false);
    }
  };
  return { send, busy };
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
