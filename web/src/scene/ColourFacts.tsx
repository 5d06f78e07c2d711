import type { Schemas } from '../api/client';
import { figure, stops } from '../shared/colour';
import { Facts } from '../shared/Facts';
import { fixed } from '../shared/numbers';

/** What a colour is, whatever numbers it has. */
export function ColourFacts({ facts }: { facts: Schemas['ColourFacts'] }) {
  return (
    <Facts
      facts={[
        { name: 'x y', value: facts.xy.map((value) => fixed(value, 4)).join(' ') },
        { name: 'u′ v′', value: facts.uv.map((value) => fixed(value, 4)).join(' ') },
        { name: 'luminance', value: figure(facts.luminance) },
        { name: 'stops from grey', value: stops(facts.stops) },
      ]}
    />
  );
}
