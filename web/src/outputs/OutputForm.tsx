import { Button, Select, TextInput } from '@mantine/core';

import { api, body, errorAt, type Schemas } from '../api/client';
import { type Render, useChange, useDeliverables, useProject, type ViewChoice } from '../api/hooks';
import { Fold } from '../shared/Fold';
import { useForget, useRemembered } from '../shared/remembered';
import { Loaded } from '../shared/states';
import { ViewSelects } from '../shared/ViewSelects';
import { ExpectedOfForm } from './Expected';
import { FramesField, useFrameRange } from './FramesField';
import { useChosenRender } from './useChosenRender';
import { matters, type Option, OptionField, type Value, type Values } from './OptionField';

type Kind = Schemas['Deliverable'];

const OF_PICTURES = ['picture', 'pictures', 'frames'];
const OF_VIEW = ['display', 'view', 'look'];
/** Settings that stand folded away: seldom changed, and a long list hides those that are. */
const MOST_SHOWN = 4;

/** What is made next: a kind, a render, and the settings that the kind has; kept as a recipe if that is wanted. */
export function OutputForm({ renders, onMade }: { renders: Render[]; onMade: (id: number) => void }) {
  const kinds = useDeliverables();
  return <Loaded of={kinds}>{(known) => <Form kinds={known} renders={renders} onMade={onMade} />}</Loaded>;
}

function Form({ kinds, renders, onMade }: { kinds: Kind[]; renders: Render[]; onMade: (id: number) => void }) {
  const based_on = useProject().data?.revision.number ?? 0;
  const [kindKey, setKind] = useRemembered('new output kind', 'still');
  const kind = kinds.find((known) => known.kind === kindKey) ?? kinds[0];
  const [changed, setChanged] = useRemembered<Values>(`new output: ${kind?.kind}`, {});
  const [recipe, setRecipe] = useRemembered('name of the new recipe', '');
  const [edited, setEdited] = useRemembered('edited recipe', '');
  const [naming, setNaming] = useRemembered('naming of the new recipe', '');
  const forget = useForget();
  const takesFrames = kind?.takes === 'frames';
  const { offered, used, setChosen: setRender } = useChosenRender(renders, takesFrames);
  const [frames, setFrames] = useFrameRange();
  const [measures, setMeasures] = useRemembered('new output measures', false);
  const isOptional = kind?.takes === 'optional';
  const takesNone = kind?.takes === 'nothing' || (isOptional && !measures);
  const asked: Schemas['NewOutput'] = {
    kind: kind?.kind as Schemas['NewOutput']['kind'],
    render: takesNone ? null : (used?.id ?? null),
    frames: used?.sequence && OF_PICTURES.includes(kind?.takes ?? '') ? frames : '',
    settings: changed,
  };
  const make = useChange((slug) =>
    body(api.POST('/api/v1/projects/{slug}/outputs', { params: { path: { slug } }, body: asked })),
  );
  const keep = useChange(async (slug) => {
    await body(
      api.PUT('/api/v1/projects/{slug}/recipes', {
        params: { path: { slug } },
        body: { name: recipe, kind: kind?.kind as Schemas['NewOutput']['kind'], settings: changed, naming, was: edited, based_on },
      }),
    );
    forget('name of the new recipe', 'edited recipe', 'naming of the new recipe');
  });
  if (!kind) return null;
  const values: Values = {
    ...Object.fromEntries(kind.options.map(({ key, default: value }) => [key, value as Value])),
    ...changed,
  };
  const set = (part: Values) => setChanged({ ...changed, ...part });
  const hasView = OF_VIEW.every((key) => kind.options.some((option) => option.key === key));
  const shown = kind.options.filter((option) => !(hasView && OF_VIEW.includes(option.key)) && matters(option, values));
  const viewMatters = hasView && kind.options.some((option) => option.key === 'view' && matters(option, values)) && !values.to;
  const marked = [...kind.options.map(({ key }) => key), 'frames'];
  const choice: ViewChoice = { display: String(values.display), view: String(values.view), look: String(values.look) };
  const field = (option: Option) => (
    <OptionField
      key={option.key}
      option={option}
      value={values[option.key] ?? ''}
      error={errorAt(make.error, option.key, marked) ?? errorAt(keep.error, option.key, [...marked, 'name', 'naming'])}
      onChange={(value) => set({ [option.key]: value })}
    />
  );
  return (
    <form
      className="block"
      aria-label="New output"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate(undefined, { onSuccess: (output) => onMade(output.id) });
      }}
    >
      <Select
        label="Kind of output"
        description={kind.use}
        data={kinds.map((known) => ({ value: known.kind, label: known.label }))}
        value={kind.kind}
        allowDeselect={false}
        onChange={(chosen) => chosen && setKind(chosen)}
      />
      {takesFrames && offered.length === 0 && (
        <p className="quiet small">It is made of a sequence. Import a folder of frames in Scene, under Renders.</p>
      )}
      {kind.takes !== 'nothing' && (
        <Select
          label={isOptional ? 'Measured over' : 'Render'}
          data={[
            ...(isOptional ? [{ value: '', label: 'colours alone' }] : []),
            ...offered.map(({ id, name }) => ({ value: String(id), label: name })),
          ]}
          value={isOptional && !measures ? '' : String(used?.id)}
          allowDeselect={false}
          onChange={(id) => {
            setMeasures(Boolean(id));
            if (id) setRender(Number(id));
          }}
        />
      )}
      {used?.sequence && OF_PICTURES.includes(kind.takes) && (
        <FramesField
          sequence={used.sequence}
          isWhole={takesFrames}
          value={frames}
          error={errorAt(make.error, 'frames', marked)}
          onChange={setFrames}
        />
      )}
      {viewMatters && <ViewSelects choice={choice} onChange={(next) => set({ ...next })} label="the output" />}
      {shown.slice(0, MOST_SHOWN).map(field)}
      {shown.length > MOST_SHOWN && (
        <Fold title="More settings" open={false}>
          {shown.slice(MOST_SHOWN).map(field)}
        </Fold>
      )}
      <ExpectedOfForm asked={asked} />
      {make.error && errorAt(make.error, '', marked) && <p role="alert">{errorAt(make.error, '', marked)}</p>}
      <div className="row">
        <Button type="submit" variant="filled" loading={make.isPending}>
          New output
        </Button>
        {Object.keys(changed).length > 0 && <Button onClick={() => setChanged({})}>Reset settings</Button>}
      </div>
      <Fold title="Keep as a recipe" open={false}>
        <TextInput
          size="xs"
          label="Name of the recipe"
          placeholder="Review still, archive, LUT for the editor …"
          value={recipe}
          maxLength={80}
          error={errorAt(keep.error, 'name', ['name'])}
          onChange={(event) => setRecipe(event.currentTarget.value)}
        />
        <TextInput
          size="xs"
          label="File name"
          description="With {picture}, {recipe}, {view} and {revision}. Empty for the usual one."
          value={naming}
          error={errorAt(keep.error, 'naming', ['naming'])}
          onChange={(event) => setNaming(event.currentTarget.value)}
        />
        <div className="row">
          <Button disabled={!recipe.trim()} loading={keep.isPending} onClick={() => keep.mutate(undefined)}>
            {edited ? `Save ${edited}` : 'Add the recipe'}
          </Button>
          {edited && <Button onClick={() => setEdited('')}>As a new one</Button>}
        </div>
      </Fold>
    </form>
  );
}
