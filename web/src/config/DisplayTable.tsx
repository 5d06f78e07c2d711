import { type Config, useChangeSetup, useProject } from '../api/hooks';
import { displayName } from '../shared/colour';
import { ViewSelects } from '../shared/ViewSelects';
import { AddedViews } from './AddedViews';
import classes from './Config.module.css';

/** Which views each display offers; the project's own view is chosen here. */
export function DisplayTable({ config }: { config: Config }) {
  const project = useProject();
  const change = useChangeSetup();
  const chosen = project.data?.setup.view;
  const views = [...new Set(config.displays.flatMap((display) => display.views))];
  const choose = (display: string, view: string, look: string) =>
    change.mutate({ view: { display, view, look }, message: `View ${view} on ${displayName(display)}` });
  return (
    <>
      <p className="quiet">
        Every application opens with the project’s view, marked ●. Choose another here; all marked ○ stay on offer.
      </p>
      <table className={classes.views}>
        <thead>
          <tr>
            <th>View</th>
            {config.displays.map((display) => (
              <th key={display.name} scope="col">
                {displayName(display.name)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {views.map((view) => (
            <tr key={view}>
              <th scope="row">{view}</th>
              {config.displays.map((display) => {
                const isChosen = chosen?.display === display.name && chosen.view === view;
                return (
                  <td key={display.name}>
                    {display.views.includes(view) && (
                      <button
                        className={`bare ${classes.cell}`}
                        aria-pressed={isChosen}
                        aria-label={`${view} on ${display.name}`}
                        disabled={change.isPending}
                        onClick={() => choose(display.name, view, chosen?.look ?? '')}
                      >
                        {isChosen ? '●' : '○'}
                      </button>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      {chosen && (
        <div className="row wrap" style={{ alignItems: 'flex-end' }}>
          <ViewSelects
            label="the project’s view"
            choice={{ ...chosen, look: chosen.look ?? '' }}
            onChange={({ display, view, look }) => choose(display, view, look)}
          />
        </div>
      )}
      <AddedViews />
    </>
  );
}
