import { useEffect, useRef, useState } from 'react';

const AT_ONCE = 2;
/** Pictures that are kept; of longer sequences the ones behind are let go. */
const MOST_KEPT = 400;

/** Load the pictures of frames, those after the one shown first, and say which are there. */
export function useFrameCache(addresses: Map<number, string>, from: number) {
  const kept = useRef(new Map<string, HTMLImageElement>());
  const [loaded, setLoaded] = useState(new Map<string, HTMLImageElement>());
  const numbers = [...addresses.keys()];
  const at = Math.max(0, numbers.indexOf(from));
  const order = [...numbers.slice(at), ...numbers.slice(0, at)];
  const wanted = order.map((number) => addresses.get(number) ?? '').slice(0, MOST_KEPT);
  const key = wanted.join();
  useEffect(() => {
    const pictures = kept.current;
    const stays = new Set(key.split(','));
    for (const address of pictures.keys()) if (!stays.has(address)) pictures.delete(address);
    let stopped = false;
    const waiting = key.split(',').filter((address) => address && !pictures.has(address));
    const next = () => {
      const address = waiting.shift();
      if (stopped || !address) return;
      const image = new Image();
      image.onload = () => {
        pictures.set(address, image);
        setLoaded(new Map(pictures));
        next();
      };
      image.onerror = next;
      image.src = address;
    };
    for (let line = 0; line < AT_ONCE; line += 1) next();
    return () => {
      stopped = true;
    };
  }, [key]);
  const pictureOf = (number: number) => loaded.get(addresses.get(number) ?? '');
  return { pictureOf, ready: numbers.filter((number) => pictureOf(number)) };
}
