import { type Config, useProject } from '../api/hooks';
import { displayName } from '../shared/colour';
import { ViewSelects } from '../shared/ViewSelects';
import { AddedViews } from './AddedViews';
import classes from './Config.module.css';
import { Offered } from './Offered';
import { useProposal } from '../shared/proposal';

/** Which views each display offers; the project's own view is chosen here. */
export function DisplayTable({ config }: { config: Config }) {
  const project = useProject();
  const { proposed, propose } = useProposal();
  const chosen = proposed?.parts.view ?? project.data?.setup.view;
  const views = [...new Set(config.displays.flatMap((display) => display.views))];
  const choose = (display: string, view: string, look: string) =>
    propose({ view: { display, view, look } }, `View ${view} on ${displayName(display)}`);
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
              <th scope="row">
                {view}
                <Made config={config} view={view} />
              </th>
              {config.displays.map((display) => {
                const isChosen = chosen?.display === display.name && chosen.view === view;
                return (
                  <td key={display.name}>
                    {display.views.includes(view) && (
                      <button
                        className={`bare ${classes.cell}`}
                        aria-pressed={isChosen}
                        aria-label={`${view} on ${display.name}`}
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
      <Offered config={config} />
      <AddedViews />
    </>
  );
}

/** By what a view makes its picture, where its name does not say so. */
function Made({ config, view }: { config: Config; view: string }) {
  const infos = config.views.filter((info) => info.view === view);
  const transforms = [...new Set(infos.map((info) => info.transform || info.space))].filter((name) => name !== view);
  const looks = [...new Set(infos.map((info) => info.looks).filter(Boolean))];
  const rules = [...new Set(infos.map((info) => info.rule).filter(Boolean))];
  const facts = [
    transforms.length > 0 && `by ${transforms.length > 2 ? 'a transform for each display' : transforms.join(', ')}`,
    looks.length > 0 && `look ${looks.join(', ')}`,
    rules.length > 0 && `for ${rules.join(', ')}`,
  ].filter(Boolean);
  return <div className="quiet small">{facts.join('; ')}</div>;
}
