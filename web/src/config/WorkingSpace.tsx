import type { KeyboardEvent } from 'react';

import { type Config, useProject } from '../api/hooks';
import classes from './Config.module.css';
import { useProposal } from '../shared/proposal';
import { Term } from '../shared/Term';

/** The space that light is computed in, chosen among the config's scene-linear ones. */
export function WorkingSpace({ config }: { config: Config }) {
  const project = useProject();
  const { proposed, propose } = useProposal();
  const chosen = proposed?.parts.working_space ?? project.data?.setup.working_space;
  return (
    <div className="block">
      <h2 id="working-space">
        <Term of="Working space" />
      </h2>
      <p className="quiet small">Rendering and compositing space: role scene_linear, in every application.</p>
      <div role="radiogroup" aria-labelledby="working-space" onKeyDown={walk}>
        {config.working_spaces.map((space) => (
          <button
            key={space}
            role="radio"
            aria-checked={space === chosen}
            tabIndex={space === chosen ? 0 : -1}
            className={`bare ${classes.choice}`}
            onClick={() => space !== chosen && propose({ working_space: space }, `Working space ${space}`)}
          >
            <span className="mono">{space}</span>
          </button>
        ))}
      </div>
    </div>
  );
}

/** Arrow keys go from choice to choice; Enter takes one. */
function walk(event: KeyboardEvent<HTMLElement>) {
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (!by) return;
  event.preventDefault();
  const choices = [...event.currentTarget.querySelectorAll('button')];
  const at = choices.findIndex((choice) => choice === document.activeElement);
  choices[(at + by + choices.length) % choices.length]?.focus();
}
