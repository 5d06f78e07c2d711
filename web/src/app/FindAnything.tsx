import { Spotlight, spotlight } from '@mantine/spotlight';
import { useDebouncedValue } from '@mantine/hooks';
import { type KeyboardEvent, useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';

import { useConfig, useFindingCodes, useGlossary, useRenders, useSlug, useStations, useSwatches } from '../api/hooks';
import type { Section } from '../guide/pages';
import { useGuide } from '../guide/useGuide';
import { displayName } from '../shared/colour';
import { useRemembered } from '../shared/remembered';
import { useFirstTextures } from '../textures/useTextureList';
import { NO_FILTERS } from '../textures/filters';
import { STEPS } from './PathStrip';

interface Found {
  label: string;
  /** What stands beside the name. */
  note?: string;
  /** What stands beside it and is nothing to be found by. */
  hint?: string;
  /** What it is found by besides. */
  words?: string[];
  go: () => void;
}

const SHOWN = 7;

/** Find a step, space, view, texture, colour, application, finding, section of the guide, word or action by name, alias or interop ID. */
export function FindAnything({ actions }: { actions: Found[] }) {
  const [query, setQuery] = useState('');
  const asked = query.toLowerCase().split(/\s+/).filter(Boolean);
  const groups = useGroups(query, asked, actions);
  const matching = groups
    .map(({ title, found }) => ({ title, found: found.filter((one) => matches(one, asked)).slice(0, SHOWN) }))
    .filter(({ found }) => found.length > 0);
  /** Enter takes what is marked, or what was found a moment ago and is not marked yet: the first. */
  const press = (event: KeyboardEvent) => {
    if (event.key !== 'Enter') return;
    event.preventDefault();
    event.stopPropagation();
    const shown = [...document.querySelectorAll('[data-action]')];
    const marked = shown.findIndex((action) => action.hasAttribute('data-selected'));
    const taken = matching.flatMap(({ found }) => found)[Math.max(0, marked)];
    if (!taken) return;
    spotlight.close();
    taken.go();
  };
  return (
    <Spotlight.Root query={query} onQueryChange={setQuery} shortcut="mod + K" attributes={{ content: { 'aria-label': 'Find anything' } }} scrollable maxHeight={480}>
      <Spotlight.Search placeholder="Find a space, view, texture, colour, finding, guide, word or action" aria-label="What to find" onKeyDownCapture={press} />
      <Spotlight.ActionsList>
        {matching.map(({ title, found }) => (
          <Spotlight.ActionsGroup key={title} label={title}>
            {found.map(({ label, note = '', hint = note, go }) => (
              <Spotlight.Action key={`${label} ${note}`} label={label} description={hint} onClick={go} />
            ))}
          </Spotlight.ActionsGroup>
        ))}
        {matching.length === 0 && <Spotlight.Empty>Nothing is called that.</Spotlight.Empty>}
      </Spotlight.ActionsList>
    </Spotlight.Root>
  );
}

const matches = ({ label, note = '', words = [] }: Found, asked: string[]) => {
  const text = [label, note, ...words].join(' ').toLowerCase();
  return asked.every((word) => text.includes(word));
};

/** Sections with all words in their titles, and then those that have what is sought in their text as it is typed. */
const inGuide = (sections: Section[], asked: string[], sought: string) => {
  const inTitle = ({ title }: Section) => asked.every((word) => title.toLowerCase().includes(word));
  const inText = (section: Section) => !inTitle(section) && section.text.toLowerCase().includes(sought.toLowerCase());
  return [...sections.filter(inTitle), ...sections.filter(inText)];
};

/** All that can be found. Without a word only where to go and what to do is shown. */
function useGroups(query: string, asked: string[], actions: Found[]): { title: string; found: Found[] }[] {
  const slug = useSlug();
  const navigate = useNavigate();
  const config = useConfig().data;
  const swatches = useSwatches().data ?? [];
  const renders = useRenders().data ?? [];
  const stations = useStations().data ?? [];
  const codes = useFindingCodes().data ?? [];
  const terms = useGlossary().data ?? [];
  const guide = useGuide();
  const sections = useQuery({ queryKey: ['guide-sections'], queryFn: async () => (await import('../guide/pages')).SECTIONS, staleTime: Infinity, enabled: query !== '' }).data ?? [];
  const [sought] = useDebouncedValue(query.trim(), 150);
  const listed = useFirstTextures({ ...NO_FILTERS, sought }, SHOWN);
  // Those of the words before are none of what is sought now.
  const isSettled = sought === query.trim() && !listed.isPlaceholderData && !listed.isLoading;
  const textures = isSettled ? (listed.data?.textures ?? []) : [];
  const [, setTab] = useRemembered('config tab', '');
  const [, setSpace] = useRemembered('selected space', '');
  const [, setColour] = useRemembered('selected colour', '');
  const [, setRender] = useRemembered('selected render', 0);
  const [, setStation] = useRemembered('selected application', 0);
  const to = (path: string) => () => void navigate(path);
  const step = (path: string) => to(`/p/${slug}/${path}`);
  const steps = STEPS.map(({ name, path }) => ({ label: name, go: step(path) }));
  if (!query.trim()) return [{ title: 'Steps', found: steps }, { title: 'Actions', found: actions }];
  return [
    { title: 'Steps', found: steps },
    { title: 'Actions', found: actions },
    {
      title: 'Spaces',
      found: (config?.spaces ?? []).map(({ name, aliases, interop_id, family }) => ({
        label: name,
        note: interop_id || family,
        words: aliases,
        go: () => {
          setTab('Spaces');
          setSpace(name);
          step('config')();
        },
      })),
    },
    {
      title: 'Views',
      found: (config?.views ?? []).map(({ display, view }) => ({
        label: view,
        note: displayName(display),
        go: () => {
          setTab('Displays and views');
          step('config')();
        },
      })),
    },
    { title: 'Textures', found: textures.map(({ id, path }) => ({ label: path, words: [query], go: step(`textures/${id}`) })) },
    {
      title: 'Colours',
      found: swatches.map(({ name, text }) => ({
        label: name,
        note: text,
        go: () => {
          setColour(name);
          step('scene?part=colours')();
        },
      })),
    },
    {
      title: 'Renders',
      found: renders.map(({ id, name, space }) => ({
        label: name,
        note: space,
        go: () => {
          setRender(id);
          step('scene?part=renders')();
        },
      })),
    },
    {
      title: 'Applications',
      found: stations.map(({ id, name }) => ({
        label: name,
        go: () => {
          setStation(id);
          step('handoffs')();
        },
      })),
    },
    { title: 'Findings', found: codes.map(({ code, meaning }) => ({ label: meaning, note: code, go: to('/findings') })) },
    { title: 'Words', found: terms.map(({ term, meaning }) => ({ label: term, note: meaning, go: to('/glossary') })) },
    {
      title: 'Guide',
      // Not before what the server finds: what stands first then is what is marked.
      found: (isSettled ? inGuide(sections, asked, sought) : []).map(({ place, page, title }) => ({
        label: title,
        note: page === title ? '' : page,
        words: [query],
        go: () => guide?.go(place),
      })),
    },
  ];
}
