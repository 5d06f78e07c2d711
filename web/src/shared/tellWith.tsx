import { Button } from '@mantine/core';
import { notifications } from '@mantine/notifications';

const SECONDS = 12;

/** A message with a button for what can be done about it. */
export function tellWith(said: string, label: string, act: () => void) {
  const id = `told-${Date.now()}`;
  const message = (
    <span className="row spread">
      {said}
      <Button
        size="compact-xs"
        onClick={() => {
          notifications.hide(id);
          act();
        }}
      >
        {label}
      </Button>
    </span>
  );
  notifications.show({ id, message, autoClose: SECONDS * 1000 });
}
