import { LevelMark } from '../shared/marks';
import { Drawer } from './drawer';
import { useDrawer, useSelfTest } from './live';
import type { Shown } from './shown';

const ONE_STEP = 1 / 255;

/** How far this browser's pictures are from the exact path, measured on the proof colours. */
export function SelfTest({ shown }: { shown: Shown }) {
  const drawer = useDrawer();
  const test = useSelfTest(shown);
  if (!(drawer instanceof Drawer)) {
    return <p className="small quiet">Pictures are drawn by the server, exactly: {drawer.message}</p>;
  }
  if (test.data === undefined) return null;
  if (test.data === null) return <p className="small quiet">This browser’s colours could not be measured.</p>;
  return (
    <p className="row small" role="status">
      {test.data.largest > ONE_STEP && !test.data.isHdr && <LevelMark level="caution" />}
      <span className="quiet">
        Drawn by this browser; the largest difference from the exact path, for the first pane, is{' '}
        <span className="mono">{(test.data.largest * 255).toFixed(2)}</span> of 255.
      </span>
    </p>
  );
}
