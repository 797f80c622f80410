DROP TABLE import_run, pull_summary, sample_block, pull, source_mapping, inbox, raw_chunk, raw_file, pull_set, cell_day, fuel, map_revision, build_state, vehicle_limit, vehicle;
