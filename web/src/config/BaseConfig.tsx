import { Button, FileButton } from '@mantine/core';

import { send } from '../api/client';
import { type Config, type Project, useChange, useProject } from '../api/hooks';

/** The config that the project starts from, and a way to start from another. */
export function BaseConfig({ config }: { config: Config }) {
  const project = useProject();
  const bring = useChange((slug, file: File) =>
    send<Project>(`/api/projects/${slug}/base`, { file, based_on: String(project.data?.revision.number ?? 0) }),
  );
  return (
    <div className="block">
      <h2>Starts from</h2>
      <p className="mono small">{config.base}</p>
      <p className="quiet small">Needs OCIO {config.version}. The source itself is never changed.</p>
      <div>
        <FileButton onChange={(file) => file && bring.mutate(file)} accept=".ocio,.yaml,.yml,text/plain">
          {(props) => (
            <Button {...props} loading={bring.isPending}>
              Bring a config.ocio
            </Button>
          )}
        </FileButton>
      </div>
    </div>
  );
}
