import { Button, NumberInput, TextInput } from '@mantine/core';
import { useState } from 'react';

import { useChangeSetup, useProject } from '../api/hooks';
import { Segments } from '../shared/Segments';
import classes from './Compare.module.css';
import { type Grade, NO_GRADE } from './drawer';

const CHANNELS = ['red', 'green', 'blue'];
const ROWS = [
  { name: 'slope', step: 0.05, min: 0 },
  { name: 'offset', step: 0.01, min: -100 },
  { name: 'power', step: 0.05, min: 0.001 },
] as const;

const SAYS: Record<Grade['place'], string> = {
  none: 'Pictures are as rendered. A grade here is for looking; it is in no hand-off.',
  before:
    'On light: highlights can come back, for they are still there, and the view rolls them off anew. White and black stay where the view puts them.',
  after:
    'On code values: it can reach white and black, and moves what is seen directly. What the view has cut or pressed together stays gone.',
};

/** A small grade that can stand before or after the view. */
export function GradePanel({ grade, onChange }: { grade: Grade; onChange: (grade: Grade) => void }) {
  const project = useProject();
  const change = useChangeSetup();
  const [name, setName] = useState('');
  const isOn = grade.place !== 'none';
  const set = (row: 'slope' | 'offset' | 'power', channel: number, value: number | string) =>
    typeof value === 'number' &&
    onChange({ ...grade, [row]: grade[row].map((kept, at) => (at === channel ? value : kept)) });
  const looks = project.data?.setup.added_looks ?? [];
  const save = () =>
    change.mutate({
      added_looks: [
        ...looks,
        {
          name,
          slope: grade.slope,
          offset: grade.offset,
          power: grade.power,
          saturation: grade.saturation,
          description: 'From a grade before the view, in Compare',
          lut: '',
          process_space: project.data?.setup.working_space ?? '',
        },
      ],
      message: `Look ${name} from a grade`,
    });
  return (
    <div className="block">
      <div className="row spread">
        <h2>Grade</h2>
        <Segments
          aria-label="Where the grade stands"
          value={grade.place}
          onChange={(place) => onChange({ ...grade, place: place as Grade['place'] })}
          data={[
            { value: 'none', label: 'Off' },
            { value: 'before', label: 'Before the view' },
            { value: 'after', label: 'After' },
          ]}
        />
      </div>
      <p className="quiet small">{SAYS[grade.place]}</p>
      {isOn && (
        <>
          {ROWS.map((row) => (
            <div key={row.name} className={classes.grade}>
              <span className="small">{row.name}</span>
              {CHANNELS.map((channel, at) => (
                <NumberInput
                  key={channel}
                  aria-label={`${row.name}, ${channel}`}
                  value={grade[row.name][at]}
                  onChange={(value) => set(row.name, at, value)}
                  step={row.step}
                  min={row.min}
                  max={100}
                  decimalScale={4}
                />
              ))}
            </div>
          ))}
          <div className={classes.grade}>
            <span className="small">saturation</span>
            <NumberInput
              aria-label="saturation"
              value={grade.saturation}
              onChange={(value) => typeof value === 'number' && onChange({ ...grade, saturation: value })}
              step={0.05}
              min={0}
              max={100}
              decimalScale={4}
            />
            <Button size="xs" onClick={() => onChange({ ...NO_GRADE, place: grade.place })}>
              Reset
            </Button>
            <Button size="xs" component="a" href={asCdl(grade)} download="grade.cc">
              CDL
            </Button>
          </div>
          {grade.place === 'before' && (
            <form
              className="row"
              style={{ alignItems: 'flex-end' }}
              onSubmit={(event) => {
                event.preventDefault();
                save();
              }}
            >
              <TextInput
                label="As a look of the config"
                placeholder="its name"
                value={name}
                maxLength={100}
                onChange={(event) => setName(event.currentTarget.value)}
                style={{ flex: 1 }}
              />
              <Button type="submit" disabled={name.trim() === ''} loading={change.isPending}>
                Save
              </Button>
            </form>
          )}
        </>
      )}
    </div>
  );
}

/** The grade as a color correction of the ASC CDL. */
function asCdl({ slope, offset, power, saturation }: Grade): string {
  const lines = [
    '<?xml version="1.0" encoding="UTF-8"?>',
    '<ColorCorrection xmlns="urn:ASC:CDL:v1.01" id="grade">',
    `  <SOPNode><Slope>${slope.join(' ')}</Slope><Offset>${offset.join(' ')}</Offset><Power>${power.join(' ')}</Power></SOPNode>`,
    `  <SatNode><Saturation>${saturation}</Saturation></SatNode>`,
    '</ColorCorrection>',
  ];
  return `data:application/xml;charset=utf-8,${encodeURIComponent(lines.join('\n'))}`;
}
