import { Button, Progress } from '@mantine/core';

/** How far a piece of work is, in a bar and in words, with a way to stop it. */
export function Progressing({ share, doing, onCancel }: { share: number; doing: string; onCancel: () => void }) {
  return (
    <div className="block">
      <Progress value={share * 100} size="sm" aria-label={doing} />
      <div className="row spread">
        <span className="quiet small" role="status">
          {doing}
        </span>
        <Button size="compact-xs" onClick={onCancel}>
          Cancel
        </Button>
      </div>
    </div>
  );
}
