import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { useParams } from 'react-router';

import { api, body, type Schemas, tell } from './client';

export type Project = Schemas['Project'];
export type Config = Schemas['Config'];
export type Texture = Schemas['Texture'];
export type Rule = Required<Schemas['Rule']>;
export type Swatch = Schemas['Swatch'];
export type Light = Required<Schemas['Light']>;
export type Render = Schemas['Render'];
export type Output = Schemas['Output'];
export type Job = Schemas['Job'];
export type Finding = Schemas['Finding'];
export type Station = Schemas['Station'];
export type AddedView = Required<Schemas['AddedView']>;
export type ViewChoice = Required<Schemas['ViewChoice']>;
export type Triple = (number | null)[];

/** The project of the address. */
export function useSlug(): string {
  const { slug } = useParams();
  if (!slug) throw new Error('used outside a project');
  return slug;
}

/** Everything of a project is asked under its slug, so that a change can ask for all of it again. */
function useOfProject<T>(name: string, fetch: (slug: string) => Promise<T>, options: { every?: number } = {}) {
  const slug = useSlug();
  return useQuery({ queryKey: [slug, name], queryFn: () => fetch(slug), refetchInterval: options.every ?? false });
}

const at = (slug: string) => ({ params: { path: { slug } } });

export const projectOf = (slug: string) => ({
  queryKey: [slug, 'project'],
  queryFn: () => body(api.GET('/api/v1/projects/{slug}', at(slug))),
});
export const useProject = () => useQuery(projectOf(useSlug()));
export const useConfig = () => useOfProject('config', (slug) => body(api.GET('/api/v1/projects/{slug}/config', at(slug))));
export const useBuiltins = () =>
  useQuery({ queryKey: ['builtin-configs'], queryFn: () => body(api.GET('/api/v1/builtin-configs')), staleTime: Infinity });
export const useViewFamilies = () =>
  useQuery({ queryKey: ['view-families'], queryFn: () => body(api.GET('/api/v1/view-families')), staleTime: Infinity });
export const useFindingCodes = () =>
  useQuery({ queryKey: ['finding-codes'], queryFn: () => body(api.GET('/api/v1/finding-codes')), staleTime: Infinity });
export const useGlossary = () =>
  useQuery({ queryKey: ['glossary'], queryFn: () => body(api.GET('/api/v1/glossary')), staleTime: Infinity });
export const useAbilities = () =>
  useQuery({ queryKey: ['station-abilities'], queryFn: () => body(api.GET('/api/v1/station-abilities')), staleTime: Infinity });
/** Kinds of applications to start from. */
export const useStationKinds = () =>
  useQuery({ queryKey: ['station-kinds'], queryFn: () => body(api.GET('/api/v1/station-kinds')), staleTime: Infinity });
export const useDiagram = () =>
  useQuery({ queryKey: ['chromaticity'], queryFn: () => body(api.GET('/api/v1/chromaticity')), staleTime: Infinity });

/** What the engine finds a space of the config to be. */
export const spaceReport = (slug: string, revision: number, name: string) => ({
  queryKey: [slug, 'space', revision, name],
  queryFn: () => body(api.GET('/api/v1/projects/{slug}/space', { params: { path: { slug }, query: { name } } })),
});
export const useJoints = () => useOfProject('path', (slug) => body(api.GET('/api/v1/projects/{slug}/path', at(slug))));
export const useTrim = () => useOfProject('trim', (slug) => body(api.GET('/api/v1/projects/{slug}/trim', at(slug))));
export const useRevisions = () =>
  useOfProject('revisions', (slug) => body(api.GET('/api/v1/projects/{slug}/revisions', at(slug))));
export const useTextureFolders = () =>
  useOfProject('texture-folders', (slug) => body(api.GET('/api/v1/projects/{slug}/texture-folders', at(slug))));
export const useConversions = () =>
  useOfProject('conversions', (slug) => body(api.GET('/api/v1/projects/{slug}/conversions', at(slug))));
export const useSwatches = () =>
  useOfProject('swatches', (slug) => body(api.GET('/api/v1/projects/{slug}/swatches', at(slug))));
export const useLights = () => useOfProject('lights', (slug) => body(api.GET('/api/v1/projects/{slug}/lights', at(slug))));
export const useReflectances = () =>
  useOfProject('reflectances', (slug) => body(api.GET('/api/v1/projects/{slug}/reflectances', at(slug))));
export const useRig = () => useOfProject('rig', (slug) => body(api.GET('/api/v1/projects/{slug}/rig', at(slug))));
export const useSameness = () =>
  useOfProject('sameness', (slug) => body(api.GET('/api/v1/projects/{slug}/rig/sameness', at(slug))));
export const useSpectral = () =>
  useOfProject('spectral', (slug) => body(api.GET('/api/v1/projects/{slug}/rig/spectral', at(slug))));
export const useRenders = () =>
  useOfProject('renders', (slug) => body(api.GET('/api/v1/projects/{slug}/renders', at(slug))));
/** The frames of a render that is a sequence. */
export function useFrames(render: Render) {
  const slug = useSlug();
  const { sequence } = render;
  return useQuery({
    queryKey: [slug, 'frames', render.id, sequence?.read, sequence?.waiting, sequence?.refused],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/renders/{id}/frames', { params: { path: { slug, id: render.id } } })),
    enabled: Boolean(sequence),
  });
}
export const useComparison = () =>
  useOfProject('comparison', (slug) => body(api.GET('/api/v1/projects/{slug}/comparison', at(slug))));
export const useStations = () =>
  useOfProject('stations', (slug) => body(api.GET('/api/v1/projects/{slug}/stations', at(slug))));
export const useDeliverables = () =>
  useOfProject('deliverables', (slug) => body(api.GET('/api/v1/projects/{slug}/deliverables', at(slug))));
export const useRecipes = () =>
  useOfProject('recipes', (slug) => body(api.GET('/api/v1/projects/{slug}/recipes', at(slug))));
export const useOutputs = (every?: number) =>
  useOfProject('outputs', (slug) => body(api.GET('/api/v1/projects/{slug}/outputs', at(slug))), { every });
/** The findings that are not of a texture. */
export const useOwnFindings = () =>
  useOfProject('own-findings', (slug) => body(api.GET('/api/v1/projects/{slug}/own-findings', at(slug))));

type FindingsAsked = { subject?: string; code?: string; limit?: number; offset?: number };
const findingsAsked = (slug: string, query: FindingsAsked) =>
  body(api.GET('/api/v1/projects/{slug}/findings', { params: { path: { slug }, query } }));

/** How many findings there are of each level, and how many files are still to be checked. */
export function useFindingCounts() {
  const slug = useSlug();
  return useQuery({ queryKey: [slug, 'findings', 'counts'], queryFn: () => findingsAsked(slug, { limit: 1 }) });
}

/** The findings of one texture, with their fixes. */
export function useTextureFindings(path: string) {
  const slug = useSlug();
  return useQuery({
    queryKey: [slug, 'findings', 'of', path],
    queryFn: () => findingsAsked(slug, { subject: path, code: 'texture.', limit: 50 }),
  });
}

const FINDINGS = 30;

/** The findings of a code, some at a time. */
export function useFindingPages(code: string) {
  const slug = useSlug();
  return useInfiniteQuery({
    queryKey: [slug, 'findings', 'pages', code],
    queryFn: ({ pageParam }) => findingsAsked(slug, { code, offset: pageParam, limit: FINDINGS }),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => (pages.length * FINDINGS < last.total ? pages.length * FINDINGS : undefined),
  });
}

const CONVERTED = 100;

/** The files of a conversion, those that could not be made first, some at a time. */
export function useConvertedFiles(id: number) {
  const slug = useSlug();
  return useInfiniteQuery({
    queryKey: [slug, 'conversions', id],
    queryFn: ({ pageParam }) =>
      body(
        api.GET('/api/v1/projects/{slug}/conversions/{id}/files', {
          params: { path: { slug, id }, query: { offset: pageParam, limit: CONVERTED } },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => (pages.length * CONVERTED < last.total ? pages.length * CONVERTED : undefined),
  });
}

const BUSY: Job['state'][] = ['queued', 'running'];
export const isBusy = (job: Job | null) => job !== null && BUSY.includes(job.state);

/** All that is shown of the project is asked for again whenever a job ends, and what it says of itself is told. */
export function useEndedJobs() {
  const slug = useSlug();
  const client = useQueryClient();
  const jobs = useJobs();
  /** Jobs that were over when last looked at; nothing is told of those that were over before this page. */
  const over = useRef<Set<number>>(undefined);
  useEffect(() => {
    if (!jobs.data) return;
    const ended = jobs.data.filter((job) => !isBusy(job));
    const news = over.current ? ended.filter(({ id }) => !over.current?.has(id)) : [];
    for (const { title, state, message } of news) if (message) tell(message, `${title}: ${state}`);
    if (news.length > 0) void client.invalidateQueries({ queryKey: [slug] });
    over.current = new Set(ended.map(({ id }) => id));
  }, [jobs.data, client, slug]);
}

/** Jobs, asked for twice a second while any is busy. */
export function useJobs() {
  const slug = useSlug();
  return useQuery({
    queryKey: [slug, 'jobs'],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/jobs', at(slug))),
    refetchInterval: (query) => (query.state.data?.some(isBusy) ? 500 : false),
  });
}

/** A change of anything in the project; all that is shown of it is asked for again. */
export function useChange<Argument, Result>(change: (slug: string, argument: Argument) => Promise<Result>) {
  const slug = useSlug();
  const client = useQueryClient();
  return useMutation({
    mutationFn: (argument: Argument) => change(slug, argument),
    onSuccess: () => client.invalidateQueries({ queryKey: [slug] }),
  });
}

/** Parts of the setup, to be looked at or saved. */
export type SetupParts = Schemas['SetupParts'];
type SetupChange = SetupParts & { message: string };

/** The next revision of the setup. `saved` is called once it is, whatever page is shown by then. */
export function useChangeSetup(saved?: () => void) {
  const project = useProject();
  return useChange(async (slug, change: SetupChange) => {
    const based_on = project.data?.revision.number ?? 0;
    const changed = await body(api.POST('/api/v1/projects/{slug}/setup', { ...at(slug), body: { ...change, based_on } }));
    saved?.();
    return changed;
  });
}
