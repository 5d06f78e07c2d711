import { Button, CopyButton } from '@mantine/core';

import { type Config, useSlug } from '../api/hooks';
import classes from './Config.module.css';

/** The config as files, and the line that makes applications use it. */
export function Export({ config }: { config: Config }) {
  const slug = useSlug();
  return (
    <div className="block">
      <h2>Export</h2>
      <div className="row">
        {readsArchives(config.version) && (
          <Button component="a" variant="filled" href={`/api/v1/projects/${slug}/export.ocioz`} download>
            {config.export_name}.ocioz
          </Button>
        )}
        <Button
          component="a"
          variant={readsArchives(config.version) ? 'default' : 'filled'}
          href={`/api/v1/projects/${slug}/export.zip`}
          download
        >
          {readsArchives(config.version) ? 'zip' : `${config.export_name}.zip`}
        </Button>
      </div>
      {!readsArchives(config.version) && (
        <p className="quiet small">Applications before OCIO 2.2 read no .ocioz: unpack the zip, and give them the folder.</p>
      )}
      <details className={classes.lines}>
        <summary>Make applications use it</summary>
      <p className="quiet small">
        Set the OCIO variable to where the file lies before you start an application. The zip holds config.ocio for
        those that want a folder.
      </p>
      {Object.entries(config.environment).map(([shell, line]) => (
        <div key={shell} className={classes.shell}>
          <div className="row spread">
            <span className="quiet small">{shell}</span>
            <CopyButton value={line}>
              {({ copied, copy }) => (
                <Button size="compact-xs" variant="subtle" onClick={copy} aria-label={`Copy the line for ${shell}`}>
                  {copied ? 'Copied' : 'Copy'}
                </Button>
              )}
            </CopyButton>
          </div>
          <code className={classes.line}>{line}</code>
        </div>
      ))}
      </details>
    </div>
  );
}

const readsArchives = (version: string) => version.localeCompare('2.2', 'en', { numeric: true }) >= 0;
