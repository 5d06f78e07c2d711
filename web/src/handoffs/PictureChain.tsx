import { Fragment } from 'react';

import type { Schemas } from '../api/client';
import { type Level, LevelMark } from '../shared/marks';
import classes from './PictureChain.module.css';

type Part = Schemas['ChainPart'];

const MARKS: Partial<Record<Part['state'], Level>> = { missing: 'blocker', extra: 'blocker', other: 'caution' };

/** The way of a picture in the form of the path strip, with what is missing on it, extra or other. */
export function PictureChain({ parts }: { parts: Part[] }) {
  if (parts.length === 0) return null;
  return (
    <ol className={classes.stem} aria-label="The way of the picture">
      {parts.map(({ label, state }, index) => {
        const mark = MARKS[state];
        return (
          <Fragment key={index}>
            <li className={`${classes.segment} ${classes[state]}`}>
              <span className="ellipsis" title={label}>
                {label}
              </span>
              {mark && (
                <span className="row small">
                  <LevelMark level={mark} /> {state}
                </span>
              )}
            </li>
            {index < parts.length - 1 && <li className={classes.joint} aria-hidden="true" />}
          </Fragment>
        );
      })}
    </ol>
  );
}
