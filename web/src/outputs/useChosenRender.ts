import { type Render, useComparison } from '../api/hooks';
import { useRemembered } from '../shared/remembered';

/** The render that outputs are made of: the one chosen here, else the one that Compare shows, of those that a kind takes. */
export function useChosenRender(renders: Render[], takesFrames = false) {
  const comparison = useComparison();
  const [chosen, setChosen] = useRemembered<number | undefined>('new output render', undefined);
  const offered = takesFrames ? renders.filter(({ sequence }) => sequence) : renders;
  const used = offered.find(({ id }) => id === (chosen ?? comparison.data?.render)) ?? offered[0];
  return { offered, used, setChosen };
}
