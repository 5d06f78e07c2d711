import { Button, MultiSelect, SegmentedControl, TextInput } from '@mantine/core';

import { type Rule, useConfig, useProject } from '../api/hooks';
import { SpaceSelect } from '../shared/SpaceSelect';
import type { FormProposal } from '../shared/proposal';
import { useRemembered } from '../shared/remembered';

const MARKED = ['name', 'pattern', 'space', 'map_kinds'];

/** Write a rule, or change one. */
export function RuleForm({
  rule,
  onSave,
  onCancel,
  form,
}: {
  rule?: Rule;
  onSave: (rule: Rule) => void;
  onCancel: () => void;
  form: FormProposal;
}) {
  const config = useConfig();
  const project = useProject();
  const [draft, setDraft] = useRemembered<Rule>('rule typed', 
    rule ?? {
      name: '',
      kind: 'glob',
      space: project.data?.setup.working_space ?? '',
      pattern: '*',
      extension: 'exr',
      map_kinds: [],
    },
  );
  const set = (part: Partial<Rule>) => setDraft({ ...draft, ...part });
  return (
    <form
      className="card chosen block"
      aria-label={rule ? 'Change the rule' : 'New rule'}
      onSubmit={(event) => {
        event.preventDefault();
        onSave({ ...draft, name: draft.name.trim() || suggestedName(draft) });
      }}
    >
      <SegmentedControl
        aria-label="Kind of rule"
        value={draft.kind}
        onChange={(kind) => set({ kind: kind as Rule['kind'] })}
        data={[
          { value: 'glob', label: 'name' },
          { value: 'map_kind', label: 'map kind' },
          { value: 'regex', label: 'regular expr.' },
        ]}
      />
      {draft.kind === 'glob' && (
        <div className="row">
          <TextInput
            label="Name pattern"
          error={form.errorAt('pattern', MARKED)}
            value={draft.pattern}
            onChange={(event) => set({ pattern: event.currentTarget.value })}
            style={{ flex: 1 }}
          />
          <TextInput
            label="Extension"
            w={80}
            value={draft.extension}
            onChange={(event) => set({ extension: event.currentTarget.value.replace(/^\./, '') })}
          />
        </div>
      )}
      {draft.kind === 'regex' && (
        <TextInput
          label="Expression for the whole path"
          error={form.errorAt('pattern', MARKED)}
          value={draft.pattern}
          onChange={(event) => set({ pattern: event.currentTarget.value })}
        />
      )}
      {draft.kind === 'map_kind' && (
        <MultiSelect
          label="Map kinds"
          error={form.errorAt('map_kinds', MARKED)}
          value={draft.map_kinds}
          onChange={(kinds) => set({ map_kinds: kinds as Rule['map_kinds'] })}
          data={config.data?.map_kinds.map(({ key, label }) => ({ value: key, label })) ?? []}
        />
      )}
      <SpaceSelect label="Read as" error={form.errorAt('space', MARKED)} value={draft.space} onChange={(space) => space && set({ space })} />
      <TextInput
        label="Name of the rule"
          error={form.errorAt('name', MARKED)}
        placeholder={suggestedName(draft)}
        value={draft.name}
        onChange={(event) => set({ name: event.currentTarget.value })}
      />
      {form.errorAt('', MARKED) && <p role="alert">{form.errorAt('', MARKED)}</p>}
      <div className="row">
        <Button type="submit" variant="filled" loading={form.isBusy}>
          {rule ? 'Save rule' : 'Add as rule 1'}
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
    </form>
  );
}

function suggestedName(rule: Rule): string {
  if (rule.kind === 'glob') return `${rule.pattern}.${rule.extension}`;
  return rule.kind === 'map_kind' ? rule.map_kinds.join(', ') || 'map kinds' : rule.pattern || 'expression';
}
