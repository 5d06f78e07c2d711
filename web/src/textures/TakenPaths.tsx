import { Button, Modal } from '@mantine/core';

import { useUploading } from '../shared/uploading';

const SHOWN = 5;

/** Ask what becomes of files that come under paths which textures of the project have already. */
export function TakenPaths() {
  const { clash } = useUploading();
  const paths = clash?.paths ?? [];
  const more = paths.length - SHOWN;
  return (
    <Modal
      opened={clash !== undefined}
      onClose={() => clash?.resolve('leave out')}
      title={paths.length === 1 ? 'A texture of this path is there already' : `${paths.length} textures are there already`}
    >
      <div className="block">
        {paths.slice(0, SHOWN).map((path) => (
          <p key={path} className="mono small" style={{ overflowWrap: 'anywhere' }}>
            {path}
          </p>
        ))}
        {more > 0 && <p className="quiet small">and {more.toLocaleString('en-GB')} more</p>}
        <p className="quiet">Replaced ones keep what is set by hand. With both kept, the new ones get a number.</p>
        <div className="row">
          <Button variant="filled" onClick={() => clash?.resolve('replace')}>
            Replace
          </Button>
          <Button onClick={() => clash?.resolve('keep both')}>Keep both</Button>
          <Button onClick={() => clash?.resolve('leave out')}>Leave out</Button>
        </div>
      </div>
    </Modal>
  );
}
