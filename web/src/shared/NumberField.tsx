import { NumberInput, type NumberInputProps } from '@mantine/core';
import { type KeyboardEvent, type PointerEvent, useRef } from 'react';

import classes from './NumberField.module.css';

const PIXELS_PER_STEP = 4;
const COARSE = 10;

/** A number that is typed, stepped by the arrow keys, or dragged sideways: with Shift ten times as far, with Alt a
 * tenth. */
export function NumberField({ step = 1, min, max, value, onChange, ...rest }: NumberInputProps) {
  const dragged = useRef<{ x: number; from: number; moves: boolean }>(undefined);
  const reach = (event: { shiftKey: boolean; altKey: boolean }) =>
    step * (event.shiftKey ? COARSE : event.altKey && !isWhole(rest) ? 1 / COARSE : 1);
  const put = (next: number) => {
    const limited = Math.min(Number(max ?? Infinity), Math.max(Number(min ?? -Infinity), next));
    onChange?.(Number(limited.toFixed(rest.allowDecimal === false ? 0 : (rest.decimalScale ?? 6))));
  };
  const press = (event: KeyboardEvent<HTMLInputElement>) => {
    const by = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (!by) return;
    event.preventDefault();
    put((Number(value) || 0) + by * reach(event));
  };
  const grab = (event: PointerEvent<HTMLInputElement>) => {
    // One that is being typed in is left alone: there, dragging selects.
    if (event.button !== 0 || document.activeElement === event.currentTarget) return;
    dragged.current = { x: event.clientX, from: Number(value) || 0, moves: false };
    event.currentTarget.setPointerCapture(event.pointerId);
  };
  const move = (event: PointerEvent<HTMLInputElement>) => {
    const start = dragged.current;
    if (!start) return;
    const steps = Math.trunc((event.clientX - start.x) / PIXELS_PER_STEP);
    if (steps === 0 && !start.moves) return;
    start.moves = true;
    put(start.from + steps * reach(event));
  };
  const drop = (event: PointerEvent<HTMLInputElement>) => {
    if (dragged.current?.moves) event.currentTarget.blur();
    dragged.current = undefined;
  };
  return (
    <NumberInput
      {...rest}
      {...(min === undefined ? {} : { min })}
      {...(max === undefined ? {} : { max })}
      {...(value === undefined ? {} : { value })}
      {...(onChange === undefined ? {} : { onChange })}
      step={Number(step)}
      classNames={{ input: classes.input ?? '' }}
      withKeyboardEvents={false}
      onKeyDown={press}
      onPointerDown={grab}
      onPointerMove={move}
      onPointerUp={drop}
      onPointerCancel={drop}
    />
  );
}

const isWhole = ({ allowDecimal }: { allowDecimal?: boolean }) => allowDecimal === false;
