import { Button, Select, TextInput } from '@mantine/core';
import { useState } from 'react';

import { api, body } from '../api/client';
import { useChange, useProject, useViewFamilies } from '../api/hooks';
import { LevelMark } from '../shared/marks';
import { Segments } from '../shared/Segments';
import { NumberField } from '../shared/NumberField';
import classes from './Compare.module.css';
import { CurveEditor } from './CurveEditor';
import { type Grade, NO_GRADE } from './drawer';
import { MatchPanel } from './MatchPanel';
import type { PaneState } from './shown';

const CHANNELS = ['red', 'green', 'blue'];
const ROWS = [
  { name: 'slope', step: 0.05, min: 0 },
  { name: 'offset', step: 0.01, min: -100 },
  { name: 'power', step: 0.05, min: 0.001 },
] as const;

const SAYS: Record<Grade['place'], string> = {
  none: 'Pictures are as rendered. A grade is kept with the project and in no hand-off; outputs use it where you say so.',
  before:
    'On light: highlights can come back, for they are still there, and the view rolls them off anew. White and black stay where the view puts them.',
  after:
    'On code values: it can reach white and black, and moves what is seen directly. What the view has cut or pressed together stays gone.',
};

/** A small grade that can stand before or after the view. */
export function GradePanel({
  grade,
  onChange,
  states,
  common,
}: {
  grade: Grade;
  onChange: (grade: Grade) => void;
  states: [PaneState, PaneState];
  common: { render: number; exposure: number };
}) {
  const project = useProject();
  const [name, setName] = useState('');
  const isOn = grade.place !== 'none';
  const isBefore = grade.place === 'before';
  const bends = grade.place === 'after' || grade.log;
  const set = (row: 'slope' | 'offset' | 'power', channel: number, value: number | string) =>
    typeof value === 'number' &&
    onChange({ ...grade, [row]: grade[row].map((kept, at) => (at === channel ? value : kept)) });
  const save = useChange((slug, based_on: number) =>
    body(api.POST('/api/v1/projects/{slug}/grade-look', { params: { path: { slug } }, body: { name, grade, based_on } })),
  );
  const left = cdlLacks(grade);
  const offered = useViewFamilies();
  const working = project.data?.setup.working_space;
  const own = (project.data?.setup.added_looks ?? []).filter(
    ({ lut, process_space: space }) => !lut && ['', 'ACEScct', working].includes(space),
  );
  const looks = [...own, ...(offered.data?.looks ?? []).filter(({ name: look }) => own.every((kept) => kept.name !== look))];
  return (
    <div className="block">
      <div className="row spread">
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
          {isBefore && (
            <Segments
              aria-label="What the grade acts on"
              value={grade.log ? 'log' : 'linear'}
              onChange={(value) => onChange({ ...grade, log: value === 'log' })}
              data={[
                { value: 'linear', label: 'On linear light' },
                { value: 'log', label: 'On ACEScct' },
              ]}
            />
          )}
          {isBefore && looks.length > 0 && (
            <Select
              aria-label="Start from a look"
              placeholder="Start from a look"
              data={looks.map((look) => look.name)}
              value={null}
              onChange={(chosen) => {
                const look = looks.find((candidate) => candidate.name === chosen);
                if (!look) return;
                const { slope, offset, power, saturation } = look;
                const log = look.process_space === '' || look.process_space === 'ACEScct';
                onChange({ ...NO_GRADE, place: 'before', log, slope, offset, power, saturation });
                setName(look.name);
              }}
            />
          )}
          <div className={classes.grade}>
            <span className="small">{isBefore ? 'exposure' : 'gain'}</span>
            <NumberField
              aria-label="exposure of the grade"
              title={isBefore ? 'Stops of light' : 'Code values times two to this power: no stops of light'}
              value={grade.exposure}
              onChange={(value) => typeof value === 'number' && onChange({ ...grade, exposure: value })}
              step={0.1}
              min={-20}
              max={20}
              decimalScale={4}
            />
            <span className="small" style={{ textAlign: 'right' }}>
              saturation
            </span>
            <NumberField
              aria-label="saturation"
              value={grade.saturation}
              onChange={(value) => typeof value === 'number' && onChange({ ...grade, saturation: value })}
              step={0.05}
              min={0}
              max={100}
              decimalScale={4}
            />
          </div>
          {ROWS.map((row) => (
            <div key={row.name} className={classes.grade}>
              <span className="small">{row.name}</span>
              {CHANNELS.map((channel, at) => (
                <NumberField
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
          {bends ? (
            <CurveEditor heights={grade.curve} onChange={(curve) => onChange({ ...grade, curve })} />
          ) : (
            <p className="quiet small">A curve acts on ACEScct or after the view: most of linear light lies above 1.</p>
          )}
          <div className="row">
            <Button size="xs" onClick={() => onChange({ ...NO_GRADE, place: grade.place, log: grade.log })}>
              Reset
            </Button>
            <Button size="xs" component="a" href={asCdl(grade)} download="grade.cc">
              CDL
            </Button>
            {left && (
              <span className="row small">
                <LevelMark level="note" /> {left}
              </span>
            )}
          </div>
          {isBefore && (
            <form
              className="row"
              style={{ alignItems: 'flex-end' }}
              onSubmit={(event) => {
                event.preventDefault();
                save.mutate(project.data?.revision.number ?? 0);
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
              <Button type="submit" disabled={name.trim() === ''} loading={save.isPending}>
                Save
              </Button>
            </form>
          )}
          <MatchPanel states={states} common={common} grade={grade} onMatch={onChange} />
        </>
      )}
    </div>
  );
}

const isStraight = (curve: number[]) => curve.every((height, at) => height === NO_GRADE.curve[at]);

/** What of a grade its CDL does not hold. */
function cdlLacks({ place, log, exposure, curve }: Grade): string {
  const bent = !isStraight(curve) && (log || place === 'after');
  if (log && exposure) return bent ? 'A CDL holds neither curve nor exposure' : 'A CDL on ACEScct holds no exposure';
  return bent ? 'A CDL holds no curve' : '';
}

/** The grade as a color correction of the ASC CDL; an exposure of linear values is a part of its slope. */
function asCdl({ slope, offset, power, saturation, exposure, log, place }: Grade): string {
  const gain = log && place === 'before' ? 1 : 2 ** exposure;
  const slopes = slope.map((value) => Number((value * gain).toPrecision(7)));
  const acts = place === 'after' ? 'code values of the display' : log ? 'ACEScct' : 'linear light of the working space';
  const lines = [
    '<?xml version="1.0" encoding="UTF-8"?>',
    '<ColorCorrection xmlns="urn:ASC:CDL:v1.01" id="grade">',
    `  <InputDescription>${acts}</InputDescription>`,
    `  <SOPNode><Slope>${slopes.join(' ')}</Slope><Offset>${offset.join(' ')}</Offset><Power>${power.join(' ')}</Power></SOPNode>`,
    `  <SatNode><Saturation>${saturation}</Saturation></SatNode>`,
    '</ColorCorrection>',
  ];
  return `data:application/xml;charset=utf-8,${encodeURIComponent(lines.join('\n'))}`;
}
