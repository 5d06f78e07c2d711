import { useSameness } from '../api/hooks';
import { css, figures } from '../shared/colour';
import { LevelMark } from '../shared/marks';

/** The classic test: the swatch ball and the texture ball beside each other, with what was done to their numbers. */
export function SameColour() {
  const sameness = useSameness();
  if (!sameness.data) return null;
  const { samples, same, says } = sameness.data;
  return (
    <div className="block">
      <h2>Same colour?</h2>
      <table className="list" aria-label="Same colour?">
        <thead>
          <tr>
            <th />
            {samples.map(({ name }) => (
              <th key={name}>{name}</th>
            ))}
          </tr>
        </thead>
        <tbody className="small">
          <tr>
            <td className="quiet">numbers</td>
            {samples.map(({ name, numbers }) => (
              <td key={name} className="mono">
                {figures(numbers)}
              </td>
            ))}
          </tr>
          <tr>
            <td className="quiet">read as</td>
            {samples.map(({ name, space, decoded }) => (
              <td key={name}>
                {space}, {decoded ? 'decoded' : 'not decoded'}
              </td>
            ))}
          </tr>
          <tr>
            <td className="quiet">light</td>
            {samples.map(({ name, light }) => (
              <td key={name} className="mono">
                {figures(light)}
              </td>
            ))}
          </tr>
          <tr>
            <td className="quiet">rendered</td>
            {samples.map(({ name, rendered, shown }) => (
              <td key={name} className="mono">
                <span className="disc" style={{ background: css(shown), height: 20, width: 20 }} /> {figures(rendered)}
              </td>
            ))}
          </tr>
        </tbody>
      </table>
      <p className="row small" role="status">
        {!same && <LevelMark level="caution" />} {says}
      </p>
    </div>
  );
}
