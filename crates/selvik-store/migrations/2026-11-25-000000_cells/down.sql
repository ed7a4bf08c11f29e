drop table sweeps, edits, cell_files, assets, entries, cells;
