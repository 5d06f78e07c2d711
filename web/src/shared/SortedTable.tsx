import {
  createColumnHelper,
  createSortedRowModel,
  rowSortingFeature,
  sortFn_basic,
  tableFeatures,
  useTable,
} from '@tanstack/react-table';
import { type ReactNode, useMemo } from 'react';

const features = tableFeatures({ rowSortingFeature, sortedRowModel: createSortedRowModel() });

/** A column: what it is called, what it is sorted by, and what is shown of it. Columns are made once, outside components. */
export interface Sortable<Row> {
  title: string;
  by: (row: Row) => string | number | undefined;
  shown: (row: Row) => ReactNode;
  className?: string;
}

interface Props<Row> {
  label: string;
  rows: Row[];
  columns: Sortable<Row>[];
  /** What to show across all columns but the first, where a row has none of the others. */
  instead?: (row: Row) => ReactNode;
}

const DIRECTIONS = { asc: 'ascending', desc: 'descending' } as const;
const ARROWS = { asc: '↑', desc: '↓' } as const;

/** A table whose rows stand as they came, until the head of a column is pressed: then by it, and back at the third press. */
export function SortedTable<Row extends object>({ label, rows, columns, instead }: Props<Row>) {
  const defined = useMemo(() => {
    const helper = createColumnHelper<typeof features, Row>();
    return helper.columns(
      columns.map(({ title, by, shown }) =>
        helper.accessor(by, {
          id: title,
          header: title,
          cell: ({ row }) => shown(row.original),
          sortFn: sortFn_basic,
          sortUndefined: 'last',
          // First what is largest, or begins the alphabet.
          sortDescFirst: rows.some((row) => typeof by(row) === 'number'),
        }),
      ),
    );
  }, [columns, rows]);
  const table = useTable({ features, columns: defined, data: rows });
  return (
    <table className="list small" aria-label={label}>
      <thead>
        {table.getHeaderGroups().map((group) => (
          <tr key={group.id}>
            {group.headers.map((header) => {
              const sorted = header.column.getIsSorted();
              return (
                <th key={header.id} aria-sort={sorted ? DIRECTIONS[sorted] : 'none'}>
                  <button className="bare" title={`Sort by ${header.id.toLowerCase()}`} onClick={header.column.getToggleSortingHandler()}>
                    <table.FlexRender header={header} /> {sorted && <span aria-hidden>{ARROWS[sorted]}</span>}
                  </button>
                </th>
              );
            })}
          </tr>
        ))}
      </thead>
      <tbody>
        {table.getRowModel().rows.map((row) => {
          const said = instead?.(row.original);
          const cells = row.getAllCells();
          return (
            <tr key={row.id}>
              {(said ? cells.slice(0, 1) : cells).map((cell, index) => (
                <td key={cell.id} className={columns[index]?.className ?? ''}>
                  <table.FlexRender cell={cell} />
                </td>
              ))}
              {said && <td colSpan={columns.length - 1}>{said}</td>}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
