import { Button, FileButton, TextInput } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';

import { api, body, send } from '../api/client';
import { type Config, useProject, useSlug } from '../api/hooks';
import { Facts } from '../shared/Facts';
import { useRemembered } from '../shared/remembered';
import { type Comparison, ConfigComparison } from './ConfigComparison';

const LISTED = 4;

/** How an artist sees, in any application, whether this config is the one in use. */
export function CheckApplication({ config }: { config: Config }) {
  const slug = useSlug();
  const project = useProject();
  const [path, setPath] = useRemembered('path to check', '');
  const [theirs, setTheirs] = useRemembered('space to check', '');
  const compare = useMutation({
    mutationFn: (asked: File | string): Promise<Comparison> =>
      typeof asked === 'string'
        ? body(
            api.POST('/api/v1/projects/{slug}/compare-path', { params: { path: { slug } }, body: { path: asked } }),
          )
        : send<Comparison>(`/api/v1/projects/${slug}/compare-file`, { file: asked }),
    onSuccess: (_, asked) => setTheirs(typeof asked === 'string' ? asked : asked.name),
  });
  const first = config.displays[0];
  const more = (count: number) => (count > LISTED ? `, and ${count - LISTED} more` : '');
  return (
    <>
      <p className="quiet">
        An application that has loaded this config shows exactly this. If anything differs, it uses another config:
        restart it with the OCIO variable set, or choose the file in its colour settings.
      </p>
      <Facts
        wide
        facts={[
          { name: 'name', value: config.name },
          { name: 'description begins', value: config.description.split('\n')[0] ?? '' },
          { name: 'OCIO version', value: config.version },
          {
            name: 'displays, in this order',
            value: config.displays
              .slice(0, LISTED)
              .map((display) => display.name)
              .join(', ') + more(config.displays.length),
          },
          {
            name: `views of ${first?.name ?? ''}`,
            value: (first?.views.slice(0, LISTED).join(', ') ?? '') + more(first?.views.length ?? 0),
          },
          { name: 'it opens with', value: `${first?.views[0] ?? ''} on ${first?.name ?? ''}` },
          { name: 'rendering space', value: config.roles.find((role) => role.name === 'scene_linear')?.space ?? '' },
          { name: 'colour spaces listed', value: String(config.spaces.length) },
        ]}
      />
      <ol className="quiet small">
        <li>Look for the config’s name in the application’s colour settings, or in its start-up log.</li>
        <li>Open the list of displays: first and last must be as above, none besides.</li>
        <li>Open the list of views of the first display, and compare names and order.</li>
        <li>If it shows neither, print its OCIO variable and paste that line below.</li>
      </ol>
      <h3>Or check its file</h3>
      <form
        className="row"
        style={{ alignItems: 'flex-end' }}
        onSubmit={(event) => {
          event.preventDefault();
          compare.mutate(path);
        }}
      >
        <TextInput
          label="Path of the application’s config, on this machine"
          placeholder="/shows/…/config.ocio, or the whole OCIO line"
          value={path}
          onChange={(event) => setPath(event.currentTarget.value)}
          style={{ flex: 1 }}
        />
        <Button type="submit" variant="filled" loading={compare.isPending} disabled={!path.trim()}>
          Check
        </Button>
        <FileButton onChange={(file) => file && compare.mutate(file)} accept=".ocio,.ocioz,.zip,.yaml,.yml">
          {(props) => (
            <Button {...props} loading={compare.isPending}>
              Choose a file …
            </Button>
          )}
        </FileButton>
      </form>
      <p className="quiet small">The file is compared by what it does to colours, and not kept.</p>
      <ConfigComparison of={compare} names={[`revision ${project.data?.revision.number ?? ''}`, theirs]} />
    </>
  );
}
