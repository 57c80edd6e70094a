-- One role per program. They may use the tables and nothing more; `watch` is what Faena itself connects as.
DO $$
DECLARE name text;
BEGIN
  FOREACH name IN ARRAY ARRAY['booking_web','gate_scan','gate_telemetry','fare_engine','manifest_export','crew_planner','nightly_report','ops_console','maintenance'] LOOP
    IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = name) THEN
      EXECUTE format('CREATE ROLE %I LOGIN PASSWORD %L', name, 'tidewrack');
    END IF;
    EXECUTE format('GRANT USAGE ON SCHEMA public TO %I', name);
    EXECUTE format('GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO %I', name);
    EXECUTE format('GRANT USAGE ON ALL SEQUENCES IN SCHEMA public TO %I', name);
  END LOOP;
  IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = 'watch') THEN
    CREATE ROLE watch LOGIN PASSWORD 'watch' CONNECTION LIMIT 10;
  END IF;
END $$;
GRANT pg_monitor TO watch;
-- For plans and index proposals: without it, Faena says which grant it lacks.
GRANT pg_read_all_data TO watch;
-- For ending sessions from Faena, which only operators can.
GRANT pg_signal_backend TO watch;
GRANT EXECUTE ON FUNCTION pg_read_binary_file(text, bigint, bigint, boolean) TO watch;
-- The planner owns its roster, so that it may rebuild the roster's indexes; maintenance may vacuum bookings.
ALTER TABLE crew_roster OWNER TO crew_planner;
ALTER TABLE booking OWNER TO maintenance;
-- Scans of bookings stay in one process, so that the load of a missing index is the load of the sessions that lack it.
ALTER ROLE gate_scan SET max_parallel_workers_per_gather = 0;
ALTER ROLE nightly_report SET max_parallel_workers_per_gather = 0;
ALTER ROLE nightly_report SET work_mem = '1MB';
ALTER ROLE fare_engine SET max_parallel_workers_per_gather = 0;
-- The gates' telemetry user got a group commit delay "to save the disk": each flush of the log now holds up all others.
ALTER ROLE gate_telemetry SET commit_delay = 20000;
ALTER ROLE gate_telemetry SET commit_siblings = 1;
