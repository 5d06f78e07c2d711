import { type Render, useComparison, type ViewChoice } from '../api/hooks';
import { Player } from '../player/Player';
import { Fold } from '../shared/Fold';
import { useRemembered } from '../shared/remembered';
import type { Values } from './OptionField';

/** The sequence that the form is about, played as the output will show it. */
export function FramesPlayed({ renders }: { renders: Render[] }) {
  const comparison = useComparison();
  const [kind] = useRemembered('new output kind', 'still');
  const [values] = useRemembered<Values>(`new output: ${kind}`, {});
  const [render] = useRemembered<number | undefined>('new output render', undefined);
  const sequences = renders.filter(({ sequence }) => sequence);
  const offered = kind === 'movie' ? sequences : renders;
  const used = offered.find(({ id }) => id === (render ?? comparison.data?.render)) ?? offered[0];
  if (!used?.sequence) return null;
  const choice = values.view ? ({ display: values.display, view: values.view, look: values.look ?? '' } as ViewChoice) : undefined;
  return (
    <Fold title="Play the frames">
      <Player key={used.id} render={used} choice={choice} exposure={Number(values.exposure ?? 0)} />
    </Fold>
  );
}
