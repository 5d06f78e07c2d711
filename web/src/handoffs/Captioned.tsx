import type { ReactNode } from 'react';

/** A picture on the plate, with words below it. */
export function Captioned({ source, children }: { source: string; children: ReactNode }) {
  return (
    <figure>
      <div className="plate">
        <img src={source} alt="" />
      </div>
      <figcaption className="small">{children}</figcaption>
    </figure>
  );
}
