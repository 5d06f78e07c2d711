import { SegmentedControl, type SegmentedControlProps } from '@mantine/core';

/** A choice of a few, which a click does not leave in focus: the arrow keys and shortcuts of the page go on to work. */
export function Segments(props: SegmentedControlProps) {
  const letGo = () => requestAnimationFrame(() => (document.activeElement as HTMLElement | null)?.blur());
  return <SegmentedControl size="xs" {...props} onPointerUp={letGo} />;
}
