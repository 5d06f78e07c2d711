import { type Render, useDeliverables, useProject, type ViewChoice } from '../api/hooks';
import { Player } from '../player/Player';
import { Fold } from '../shared/Fold';
import { useRemembered } from '../shared/remembered';
import { HdrCheck } from './HdrCheck';
import { useChosenRender } from './useChosenRender';
import type { Values } from './OptionField';

/** What the form is about, seen through its view: a sequence played, and HDR judged on this screen. */
export function Looked({ renders }: { renders: Render[] }) {
  const project = useProject();
  const [kind] = useRemembered('new output kind', 'still');
  const [values] = useRemembered<Values>(`new output: ${kind}`, {});
  const takesFrames = useDeliverables().data?.find((known) => known.kind === kind)?.takes === 'frames';
  const { used } = useChosenRender(renders, takesFrames);
  if (!used) return null;
  const choice = (
    values.view ? { display: values.display, view: values.view, look: values.look ?? '' } : project.data?.setup.view
  ) as ViewChoice | undefined;
  const exposure = Number(values.exposure ?? 0);
  return (
    <>
      {used.sequence && (
        <Fold title="Play the frames" guide="guide/outputs/frames">
          <Player key={used.id} render={used} choice={choice} exposure={exposure} />
        </Fold>
      )}
      {choice && <HdrCheck render={used} choice={choice} exposure={exposure} />}
    </>
  );
}
