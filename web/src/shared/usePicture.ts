import { useEffect, useState } from 'react';

/** The picture of an address, with the one before it kept until the new one is there. */
export function usePicture(source: string): { shown: string | undefined; state: 'loading' | 'shown' | 'failed' } {
  const [settled, setSettled] = useState<{ source: string; failed: boolean }>();
  const [shown, setShown] = useState<string>();
  useEffect(() => {
    let current = true;
    const image = new Image();
    image.onload = () => {
      if (!current) return;
      setShown(source);
      setSettled({ source, failed: false });
    };
    image.onerror = () => current && setSettled({ source, failed: true });
    image.src = source;
    return () => {
      current = false;
    };
  }, [source]);
  if (settled?.source !== source) return { shown, state: 'loading' };
  return { shown, state: settled.failed ? 'failed' : 'shown' };
}
