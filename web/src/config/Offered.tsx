import { ActionIcon, Button, Checkbox } from '@mantine/core';
import { IconArrowDown, IconArrowUp } from '@tabler/icons-react';
import { useState } from 'react';

import { type Config, useProject } from '../api/hooks';
import { displayName } from '../shared/colour';
import classes from './Config.module.css';
import { useProposal } from '../shared/proposal';

/** Which displays and views applications offer, and in which order. */
export function Offered({ config }: { config: Config }) {
  const project = useProject();
  const { propose } = useProposal();
  const view = project.data?.setup.view;
  const active = [...new Set(config.displays.flatMap((display) => display.views))];
  const displays = config.displays.map((display) => display.name);
  return (
    <details className={classes.lines}>
      <summary>Choose and order what applications offer</summary>
      <p className="quiet small">
        The project’s own display and view stay first. Views have one order for all displays, as OCIO has it.
      </p>
      <div className={classes.orders}>
        <OrderedPicks
          key={`displays ${displays.join()}`}
          title="Displays"
          all={config.all_displays}
          active={displays}
          fixed={view?.display}
          shown={displayName}
          onChange={(names) => propose({ displays: names }, 'Displays chosen and ordered')}
        />
        <OrderedPicks
          key={`views ${active.join()}`}
          title="Views"
          all={config.all_views}
          active={active}
          fixed={view?.view}
          shown={(name) => name}
          onChange={(names) => propose({ views: names }, 'Views chosen and ordered')}
        />
      </div>
    </details>
  );
}

function OrderedPicks({
  title,
  all,
  active,
  fixed,
  shown,
  onChange,
}: {
  title: string;
  all: string[];
  active: string[];
  /** The one that cannot be left out. */
  fixed: string | undefined;
  shown: (name: string) => string;
  onChange: (names: string[]) => void;
}) {
  const [order, setOrder] = useState([...active, ...all.filter((name) => !active.includes(name))]);
  const [picked, setPicked] = useState(new Set(active));
  const move = (index: number, by: -1 | 1) => {
    const next = [...order];
    const [name] = next.splice(index, 1);
    if (name === undefined) return;
    next.splice(index + by, 0, name);
    setOrder(next);
  };
  const toggle = (name: string) => {
    const next = new Set(picked);
    if (!next.delete(name)) next.add(name);
    setPicked(next);
  };
  const names = order.filter((name) => picked.has(name));
  return (
    <div role="group" aria-label={title} className="block">
      <h3>{title}</h3>
      {order.map((name, index) => (
        <div key={name} className="row spread">
          <Checkbox
            size="xs"
            label={shown(name)}
            checked={picked.has(name)}
            disabled={name === fixed}
            onChange={() => toggle(name)}
          />
          <span className="row" style={{ gap: 0 }}>
            <ActionIcon aria-label={`${name} up`} disabled={index === 0} onClick={() => move(index, -1)}>
              <IconArrowUp size={14} />
            </ActionIcon>
            <ActionIcon aria-label={`${name} down`} disabled={index === order.length - 1} onClick={() => move(index, 1)}>
              <IconArrowDown size={14} />
            </ActionIcon>
          </span>
        </div>
      ))}
      <div>
        <Button disabled={names.join() === active.join()} onClick={() => onChange(names)}>
          See what this changes
        </Button>
      </div>
    </div>
  );
}
