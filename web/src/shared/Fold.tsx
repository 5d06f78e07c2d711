import { IconChevronDown, IconChevronRight, IconLayoutSidebarRightCollapse, IconLayoutSidebarRightExpand } from '@tabler/icons-react';
import { ActionIcon } from '@mantine/core';
import type { ReactNode } from 'react';

import { GuideMark } from '../guide/GuideMark';
import { useRemembered } from './remembered';

/** A part of a column that folds under its heading, and stays as it was left; `guide` is where the guide says more. */
export function Fold({ title, guide, children, open: first = true }: { title: string; guide?: string; children: ReactNode; open?: boolean }) {
  const [open, setOpen] = useRemembered(`open: ${title}`, first);
  return (
    <section className="block" aria-label={title}>
      <div className="row">
        <h2 style={{ margin: 0 }}>
          <button type="button" className="bare row" style={{ font: 'inherit' }} aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? <IconChevronDown size={16} /> : <IconChevronRight size={16} />} {title}
          </button>
        </h2>
        {open && guide && <GuideMark to={guide} about={title} />}
      </div>
      {open && children}
    </section>
  );
}

/** The last column of a step, which folds away where the work needs the room; `guide` is where the guide says more of it. */
export function FoldingColumn({ label, guide, children }: { label: string; guide: string; children: ReactNode }) {
  const [folded, setFolded] = useRemembered('facts folded', false);
  return (
    <section className={folded ? 'column folded' : 'column'} aria-label={label}>
      <div className="folding">
        {!folded && <GuideMark to={guide} about={label} />}
      <ActionIcon
        variant="subtle"
        aria-label={folded ? `Show: ${label}` : `Hide: ${label}`}
        aria-expanded={!folded}
        title={folded ? `Show: ${label}` : 'Hide this column'}
        onClick={() => setFolded(!folded)}
      >
        {folded ? <IconLayoutSidebarRightExpand size={18} /> : <IconLayoutSidebarRightCollapse size={18} />}
      </ActionIcon>
      </div>
      {!folded && children}
    </section>
  );
}
