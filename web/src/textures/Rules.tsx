import { Button } from '@mantine/core';
import { IconTrash } from '@tabler/icons-react';
import { ActionIcon } from '@mantine/core';

import { type Rule, useConfig, useOwnFindings, useProject } from '../api/hooks';
import { LevelMark } from '../shared/marks';
import { useFormProposal, useProposal } from '../shared/proposal';
import { Sortable, SortableItem } from '../shared/Sortable';
import { SpaceSelect } from '../shared/SpaceSelect';
import { useForget, useRemembered } from '../shared/remembered';
import { MapWords } from './MapWords';
import { RuleForm } from './RuleForm';
import { PATH_SEARCH, ruleText, ruleTitle } from './ruleWords';
import classes from './Textures.module.css';
import { useTextureChoices } from './useTextureList';

/** The project's file rules, in the order in which they are tried. The default stays last. */
export function Rules({ onRunAgain }: { onRunAgain: () => void }) {
  const project = useProject();
  const findings = useOwnFindings();
  const { proposed, propose } = useProposal();
  const form = useFormProposal();
  const config = useConfig();
  const choices = useTextureChoices();
  const [chosen, setChosen] = useRemembered<number | null>('selected rule', null);
  const [editing, setEditing] = useRemembered<number | 'new' | null>('edited rule', null);

  const forget = useForget();
  const close = () => forget('edited rule', 'rule typed');

  const rules = (proposed?.parts.rules ?? project.data?.setup.rules ?? []) as Rule[];
  const counts = new Map(choices.data?.reasons.map(({ value, count }) => [value, count]));
  const hits = (name: string) => (counts.get(`rule:${name}`) ?? 0).toLocaleString('en-GB');
  const rest = (counts.get('default') ?? 0).toLocaleString('en-GB');
  const save = (next: Rule[], message: string) => propose({ rules: next }, message);
  const named = (name: string) => rules.find((rule) => rule.name === name);
  const order = (names: string[], moved: string) => {
    const rule = named(moved);
    save(names.flatMap((name) => named(name) ?? []), `Rule “${rule ? ruleTitle(rule) : moved}” moved`);
    setChosen(names.indexOf(moved));
  };

  return (
    <>
      <h2>
        Rules <span className="quiet small">first match wins</span>
      </h2>
      <Sortable keys={rules.map(({ name }) => name)} onOrder={order}>
        {rules.map((rule, index) => {
          const finding = findings.data?.find(({ code, subject }) => code.startsWith('rule.') && subject === rule.name);
          if (editing === index) {
            return (
              <RuleForm
                key={rule.name}
                rule={rule}
                form={form}
                onCancel={close}
                onSave={(edited) => {
                  const changed = rules.map((kept, at) => (at === index ? edited : kept));
                  void form.submit({ rules: changed }, `Rule “${ruleTitle(edited)}” changed`).then((taken) => taken && close());
                }}
              />
            );
          }
          return (
            <SortableItem
              key={rule.name}
              id={rule.name}
              label={`“${ruleTitle(rule)}”`}
              className={`card ${chosen === index ? 'chosen' : ''}`}
            >
              <button
                className={`bare ${classes.rule}`}
                aria-expanded={chosen === index}
                onClick={() => setChosen(chosen === index ? null : index)}
              >
                <span className={classes.number}>{index + 1}</span>
                <span>{ruleTitle(rule)}</span>
                <span className="mono small" title="files it takes">
                  {hits(rule.name)}
                </span>
                <span />
                <span className="quiet small" style={{ gridColumn: '2 / -1', overflowWrap: 'anywhere' }}>
                  {finding ? (
                    <span className="row">
                      <LevelMark level={finding.level} /> {finding.title.toLowerCase()}
                    </span>
                  ) : (
                    ruleText(rule, config.data?.map_kinds ?? [])
                  )}
                </span>
              </button>
              {chosen === index && (
                <div className={classes.tools} style={{ marginLeft: 26 }}>
                  <ActionIcon
                    aria-label={`Delete “${ruleTitle(rule)}”`}
                    onClick={() => {
                      save(
                        rules.filter((kept) => kept !== rule),
                        `Rule “${ruleTitle(rule)}” deleted`,
                      );
                      setChosen(null);
                    }}
                  >
                    <IconTrash size={16} />
                  </ActionIcon>
                  {rule.kind !== 'space_in_path' && (
                    <Button size="compact-xs" onClick={() => setEditing(index)}>
                      Change
                    </Button>
                  )}
                </div>
              )}
            </SortableItem>
          );
        })}
      </Sortable>
      <div className="card">
        <div className={classes.rule}>
          <span className={classes.number}>·</span>
          <span>Everything else</span>
          <span className="mono small">{rest}</span>
        </div>
        <SpaceSelect
          aria-label="Everything else is read as"
          value={proposed?.parts.default_space ?? project.data?.setup.default_space ?? null}
          onChange={(space) => space && propose({ default_space: space }, `Everything else: ${space}`)}
          style={{ marginLeft: 26 }}
        />
      </div>
      {editing === 'new' ? (
        <RuleForm
          form={form}
          onCancel={close}
          onSave={(rule) => {
            void form.submit({ rules: [rule, ...rules] }, `Rule “${ruleTitle(rule)}” added`).then((taken) => {
              if (!taken) return;
              close();
              setChosen(0);
            });
          }}
        />
      ) : (
        <div className="row">
          <Button onClick={() => setEditing('new')}>Add rule</Button>
          <Button onClick={onRunAgain}>Apply again</Button>
          {!rules.some((rule) => rule.kind === 'space_in_path') && (
            <Button onClick={() => save([...rules, PATH_SEARCH], 'Rule “Space in the path” added')}>
              Space in path
            </Button>
          )}
        </div>
      )}
      <p className="quiet small">
        Written into the config as file rules, with OCIO's own cases: name patterns and regular expressions tell capitals
        from small letters; extensions, map words and names of spaces do not.
      </p>
      {config.data && <MapWords kinds={config.data.map_kinds} />}
    </>
  );
}
