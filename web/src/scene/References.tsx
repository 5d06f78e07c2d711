import { Button } from '@mantine/core';
import { useDisclosure } from '@mantine/hooks';

import type { Schemas } from '../api/client';
import { useReflectances } from '../api/hooks';
import { css, figures } from '../shared/colour';

/** Measured reflectances of surfaces and metals, to be taken as swatches. */
export function References({ onTake }: { onTake: (reference: Schemas['Reference']) => void }) {
  const references = useReflectances();
  const [opened, { toggle }] = useDisclosure(false);
  if (!references.data?.length) return null;
  return (
    <div className="block">
      <button className="bare row" aria-expanded={opened} onClick={toggle}>
        <h2>
          {opened ? '−' : '+'} Measured reflectances{' '}
          <span className="quiet small">base colours lie from 0.02 to 0.9, bare metals from 0.4 to 1</span>
        </h2>
      </button>
      {opened && (
        <table className="list" aria-label="Measured reflectances">
          <thead>
            <tr>
              <th />
              <th>Surface</th>
              <th>Reflects</th>
              <th>In the working space</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {references.data.map((reference) => (
              <tr key={reference.name} title={reference.source}>
                <td>
                  <span className="disc" style={{ background: css(reference.shown), height: 20, width: 20 }} />
                </td>
                <td>
                  {reference.name} <span className="quiet small">{reference.use}</span>
                </td>
                <td className="mono small">
                  {reference.lowest === reference.highest
                    ? reference.luminance.toFixed(2)
                    : `${reference.lowest.toFixed(2)}–${reference.highest.toFixed(2)}`}
                </td>
                <td className="mono small">{figures(reference.working)}</td>
                <td>
                  <Button size="compact-xs" onClick={() => onTake(reference)}>
                    Use
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
