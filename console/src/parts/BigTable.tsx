import Box from '@mui/material/Box';
import { DataGrid, type GridColDef, type GridRowSelectionModel } from '@mui/x-data-grid';
import type { Page } from '../api';

export const ROWS = 50;

interface Props<T> {
  name: string;
  columns: GridColDef<T & object>[];
  data: Page<T>;
  id: (row: T) => string;
  /** As the service takes it: a field, with a dash before it for descending. */
  sort: string;
  page: number;
  onAsk: (change: { sort?: string; page?: string }) => void;
  /** Whether what is shown was asked for before, and what is asked for now is still being read. */
  former: boolean;
  /** Ids that are ticked; left out where rows are not chosen. */
  chosen?: string[];
  onChoose?: (ids: string[]) => void;
}

/** A table whose paging and sorting are the service's, so that it holds any number of rows. */
export function BigTable<T extends object>({ name, columns, data, id, sort, page, onAsk, former, chosen, onChoose }: Props<T>) {
  const selection: GridRowSelectionModel = { type: 'include', ids: new Set(chosen) };
  return (
    <Box sx={{ display: 'flex', flexDirection: 'column', minWidth: 0 }}>
      <DataGrid
        aria-label={name}
        rows={data.items}
        columns={columns.map((c) => ({ ...c, sortable: c.sortable === true, display: 'flex' }))}
        getRowId={id}
        getRowHeight={() => 'auto'}
        density="compact"
        disableColumnMenu
        disableVirtualization
        disableRowSelectionOnClick
        checkboxSelection={onChoose !== undefined}
        rowSelectionModel={selection}
        onRowSelectionModelChange={(model) => onChoose?.(model.type === 'include' ? [...model.ids].map(String) : data.items.map(id).filter((row) => !model.ids.has(row)))}
        keepNonExistentRowsSelected
        sortingMode="server"
        sortingOrder={['asc', 'desc']}
        sortModel={[{ field: sort.replace(/^-/, ''), sort: sort.startsWith('-') ? 'desc' : 'asc' }]}
        onSortModelChange={([by]) => onAsk({ sort: `${by.sort === 'desc' ? '-' : ''}${by.field}`, page: '' })}
        paginationMode="server"
        loading={former}
        rowCount={data.total}
        paginationModel={{ page, pageSize: ROWS }}
        pageSizeOptions={[ROWS]}
        onPaginationModelChange={(model) => onAsk({ page: model.page === 0 ? '' : String(model.page) })}
        hideFooter={data.total <= ROWS && page === 0}
        hideFooterSelectedRowCount
        sx={{ border: 0, '--DataGrid-t-color-background-base': 'transparent', '--DataGrid-t-header-background-base': 'transparent', '& .MuiDataGrid-cell': { py: 0.5 }, '& .MuiDataGrid-columnHeaderTitle': { fontWeight: 600 } }}
      />
    </Box>
  );
}
