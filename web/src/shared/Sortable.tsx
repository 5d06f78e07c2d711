import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core';
import { restrictToParentElement, restrictToVerticalAxis } from '@dnd-kit/modifiers';
import { arrayMove, SortableContext, sortableKeyboardCoordinates, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable';
import { ActionIcon } from '@mantine/core';
import { IconGripVertical } from '@tabler/icons-react';
import type { ReactNode } from 'react';

type Key = string | number;

/** A list whose order is changed by dragging, or by the space bar and arrow keys on a handle. */
export function Sortable<K extends Key>({
  keys,
  onOrder,
  children,
}: {
  keys: K[];
  onOrder: (keys: K[], moved: K) => void;
  children: ReactNode;
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  return (
    <DndContext
      sensors={sensors}
      accessibility={{ container: document.body }}
      collisionDetection={closestCenter}
      modifiers={[restrictToVerticalAxis, restrictToParentElement]}
      onDragEnd={({ active, over }) => {
        if (!over || over.id === active.id) return;
        const [from, to] = [active.id, over.id].map((id) => keys.indexOf(id as K));
        onOrder(arrayMove(keys, from ?? 0, to ?? 0), active.id as K);
      }}
    >
      <SortableContext items={keys} strategy={verticalListSortingStrategy}>
        <div className="block">{children}</div>
      </SortableContext>
    </DndContext>
  );
}

/** One of a Sortable, with its handle before it. */
export function SortableItem({ id, label, className, children }: { id: Key; label: string; className: string; children: ReactNode }) {
  const { setNodeRef, setActivatorNodeRef, attributes, listeners, transform, transition, isDragging } = useSortable({ id });
  return (
    <div
      ref={setNodeRef}
      className={className}
      style={{
        display: 'grid',
        gridTemplateColumns: 'auto 1fr',
        alignItems: 'start',
        transform: transform ? `translateY(${transform.y}px)` : undefined,
        transition,
        zIndex: isDragging ? 1 : undefined,
        position: 'relative',
      }}
    >
      <ActionIcon
        ref={setActivatorNodeRef}
        variant="transparent"
        {...attributes}
        {...listeners}
        aria-label={`Move ${label}`}
        title="Drag to move; or press space, then the arrow keys"
        style={{ cursor: 'grab', touchAction: 'none', marginLeft: -8 }}
      >
        <IconGripVertical size={16} />
      </ActionIcon>
      <div>{children}</div>
    </div>
  );
}
