//! Tables as Diesel sees them.
#![allow(missing_docs)]

diesel::table! { vehicle (id) { id -> BigInt, name -> Varchar, engine -> Text, dyno -> Text, demo -> Bool, sheet -> Text, created_at -> Datetime, version -> BigInt, archived_at -> Nullable<Datetime>, uid -> Nullable<Varchar>, } }
diesel::table! { vehicle_limit (id) { id -> BigInt, vehicle_id -> BigInt, position -> Integer, name -> Varchar, channel -> Varchar, severity -> Varchar, definition -> Text, } }
diesel::table! { build_state (id) { id -> BigInt, vehicle_id -> BigInt, name -> Varchar, note -> Text, since -> Nullable<Date>, uid -> Nullable<Varchar>, } }
diesel::table! { map_revision (id) {
    id -> BigInt, vehicle_id -> BigInt, name -> Varchar, kind -> Varchar, parent -> Nullable<Varchar>, for_fuel -> Nullable<Varchar>, note -> Varchar,
    file_id -> Nullable<BigInt>, price -> Nullable<Double>, archived_at -> Nullable<Datetime>, uid -> Nullable<Varchar>,
} }
diesel::table! { fuel (id) {
    id -> BigInt, name -> Varchar, ethanol -> Nullable<Double>, uid -> Nullable<Varchar>, octane -> Nullable<Double>, octane_scale -> Varchar,
    price -> Nullable<Double>, kind -> Varchar, density_kg_l -> Nullable<Double>, stoich_afr -> Nullable<Double>, lhv_mj_kg -> Nullable<Double>,
} }
diesel::table! { fuel_batch (id) {
    id -> BigInt, fuel_id -> BigInt, name -> Varchar, source -> Varchar, bought_on -> Nullable<Date>, ethanol -> Nullable<Double>,
    measured_by -> Varchar, note -> Varchar, written_by -> Varchar, created_at -> Datetime, archived_at -> Nullable<Datetime>,
} }
diesel::table! { tank_event (id) {
    id -> BigInt, day_id -> BigInt, at_time -> Time, fuel_id -> BigInt, batch_id -> Nullable<BigInt>, litres -> Double, left_l -> Nullable<Double>,
    written_by -> Varchar, archived_at -> Nullable<Datetime>,
} }
diesel::table! { flash (id) {
    id -> BigInt, vehicle_id -> BigInt, map_id -> BigInt, on_date -> Date, at_time -> Nullable<Time>, note -> Varchar, written_by -> Varchar,
    archived_at -> Nullable<Datetime>,
} }
diesel::table! { ladder_word (id) {
    id -> BigInt, vehicle_id -> BigInt, kind -> Varchar, map -> Varchar, fuel -> Varchar, build -> Varchar, gear -> Varchar, rungs -> Varchar,
    at_rung -> Varchar, reason -> Varchar, forecast -> Varchar, written_by -> Varchar, written_at -> Datetime, archived_at -> Nullable<Datetime>,
} }
diesel::table! { slip (id) {
    id -> BigInt, vehicle_id -> BigInt, on_date -> Date, at_time -> Nullable<Time>, place -> Varchar, map -> Varchar, fuel -> Varchar,
    t18_s -> Nullable<Double>, t201_s -> Nullable<Double>, v201_kmh -> Nullable<Double>, t402_s -> Nullable<Double>, v402_kmh -> Nullable<Double>,
    rollout_m -> Double, launch_rpm -> Nullable<Double>, temperature_c -> Nullable<Double>, pressure_hpa -> Nullable<Double>, note -> Varchar,
    written_by -> Varchar, created_at -> Datetime, archived_at -> Nullable<Datetime>,
} }
diesel::table! { sign_off (id) {
    id -> BigInt, vehicle_id -> BigInt, map_id -> BigInt, fuel_id -> BigInt, on_date -> Date, answers -> Text, written_by -> Varchar,
    written_at -> Datetime, signed_by -> Nullable<Varchar>, signed_at -> Nullable<Datetime>, file_sha -> Nullable<Char>,
} }
diesel::table! { contact (id) { id -> BigInt, vehicle_id -> BigInt, name -> Varchar, reached -> Varchar, note -> Varchar, } }
diesel::table! { thread (id) {
    id -> BigInt, uid -> Char, vehicle_id -> BigInt, title -> Varchar, opened_by -> Varchar, opened_at -> Datetime, closed_at -> Nullable<Datetime>,
} }
diesel::table! { thread_step (id) {
    id -> BigInt, uid -> Char, thread_id -> BigInt, kind -> Varchar, written_by -> Varchar, written_at -> Datetime, words -> Text, map_id -> Nullable<BigInt>,
    files -> Text, channel -> Nullable<Varchar>, at_s -> Nullable<Double>,
} }
diesel::table! { report (id) {
    id -> BigInt, number -> Varchar, vehicle_id -> BigInt, title -> Varchar, asked -> Text, sheet -> Mediumblob, sheet_sha -> Char, figures -> Mediumblob,
    figures_sha -> Char, supersedes -> Nullable<Varchar>, why -> Varchar, issued_by -> Varchar, issued_at -> Datetime,
} }
diesel::table! { report_year (year) { year -> Integer, last -> Varchar, } }
diesel::table! { report_print (report_id, paper) { report_id -> BigInt, paper -> Varchar, data -> Mediumblob, sha -> Char, } }
diesel::table! { report_about (report_id, vehicle_id) { report_id -> BigInt, vehicle_id -> BigInt, } }
diesel::table! { share_link (id) {
    id -> BigInt, report_id -> BigInt, token_sha -> Char, until_date -> Date, made_by -> Varchar, made_at -> Datetime, withdrawn_at -> Nullable<Datetime>,
} }
diesel::table! { cell_day (id) {
    id -> BigInt, vehicle_id -> BigInt, on_date -> Date, place -> Varchar, temperature_c -> Nullable<Double>, humidity -> Nullable<Double>,
    pressure_hpa -> Nullable<Double>, note -> Text, created_at -> Datetime, demo -> Bool, checklist -> Text, version -> BigInt, measured -> BigInt,
    archived_at -> Nullable<Datetime>, zone -> Varchar, uid -> Nullable<Varchar>, cell_id -> Nullable<BigInt>, running -> Text, plan -> Text,
} }
diesel::table! { pull_set (id) {
    id -> BigInt, day_id -> BigInt, build_id -> BigInt, map_id -> BigInt, fuel_id -> BigInt, position -> Integer, boost -> Varchar, gear -> Varchar,
    extras -> Text, note -> Text, created_at -> Datetime, invalid_reason -> Nullable<Varchar>, invalid_by -> Nullable<Varchar>,
    archived_at -> Nullable<Datetime>, run_id -> Nullable<BigInt>, uid -> Nullable<Varchar>,
} }
diesel::table! { raw_file (id) { id -> BigInt, sha256 -> Binary, name -> Varchar, bytes -> BigInt, received_at -> Datetime, } }
diesel::table! { raw_chunk (file_id, seq) { file_id -> BigInt, seq -> Integer, data -> Blob, } }
diesel::table! { inbox (id) { id -> BigInt, day_id -> BigInt, file_id -> BigInt, name -> Varchar, role -> Varchar, source -> Char, report -> Text, } }
diesel::table! { source_mapping (source) { source -> Char, mapping -> Text, } }
diesel::table! { pull (id) {
    id -> BigInt, set_id -> BigInt, position -> Integer, dyno_file_id -> BigInt, ecu_file_id -> Nullable<BigInt>, dyno_mapping -> Text, ecu_mapping -> Nullable<Text>,
    number_in_file -> Nullable<Integer>, lag_s -> Nullable<Double>, excluded_reason -> Nullable<Varchar>, excluded_by -> Nullable<Varchar>, note -> Text, created_at -> Datetime,
    started_at -> Nullable<Time>, temperature_c -> Nullable<Double>, humidity -> Nullable<Double>, pressure_hpa -> Nullable<Double>, shares_pull_id -> Nullable<BigInt>,
    archived_at -> Nullable<Datetime>, finished -> Nullable<Mediumtext>, uid -> Nullable<Varchar>, run_id -> Nullable<BigInt>,
} }
diesel::table! { day_note (id) { id -> BigInt, day_id -> BigInt, at_time -> Nullable<Time>, tag -> Varchar, text -> Text, written_by -> Varchar, created_at -> Datetime, pull_id -> Nullable<BigInt>, rpm_from -> Nullable<Double>, rpm_to -> Nullable<Double>, load_from -> Nullable<Double>, load_to -> Nullable<Double>, } }
diesel::table! { intervention (id) {
    id -> BigInt, day_id -> BigInt, at_time -> Nullable<Time>, what -> Varchar, from_state -> Varchar, to_state -> Varchar, written_by -> Varchar,
    archived_at -> Nullable<Datetime>,
} }
diesel::table! { day_air (id) { id -> BigInt, day_id -> BigInt, at_time -> Time, temperature_c -> Double, humidity -> Double, pressure_hpa -> Double, } }
diesel::table! { day_fuel (id) { id -> BigInt, day_id -> BigInt, fuel_id -> BigInt, litres -> Double, note -> Varchar, } }
diesel::table! { sample_block (pull_id) { pull_id -> BigInt, version -> SmallInt, data -> Blob, } }
diesel::table! { pull_summary (pull_id) {
    pull_id -> BigInt, algorithm -> Integer, settings -> Char, peak_power_kw -> Nullable<Double>, peak_power_rpm -> Nullable<Double>, peak_torque_nm -> Nullable<Double>,
    ended_by -> Nullable<Varchar>, alignment -> Varchar, worst_limit -> Nullable<Varchar>, measured -> Blob,
    air_temperature_c -> Nullable<Double>, air_humidity -> Nullable<Double>, air_pressure_hpa -> Nullable<Double>, limit_used -> Nullable<Double>,
    flags -> Varchar, spark -> Nullable<Binary>, reached -> Nullable<Binary>, own -> Nullable<Text>,
} }
diesel::table! { line_up (id) {
    id -> BigInt, vehicle_id -> BigInt, name -> Varchar, query -> Varchar, kept_by -> Varchar, kept_at -> Datetime,
} }
diesel::table! { plan_item (id) {
    id -> BigInt, vehicle_id -> BigInt, factors -> Json, pulls -> Integer, why -> Varchar, planned_at -> Datetime,
} }
diesel::table! { merged_id (uid) { uid -> Varchar, kind -> Varchar, into_id -> BigInt, } }
diesel::table! { cell (id) {
    id -> BigInt, uid -> Nullable<Varchar>, name -> Varchar, dyno -> Varchar, folder -> Varchar, calibrated_on -> Nullable<Date>, note -> Text,
    earlier_calibrations -> Varchar,
} }
diesel::table! { map_use (map_id, vehicle_id) { map_id -> BigInt, vehicle_id -> BigInt, } }
diesel::table! { attachment (id) {
    id -> BigInt, kind -> Varchar, thing -> BigInt, file_id -> BigInt, name -> Varchar, media -> Varchar, written_by -> Varchar, created_at -> Datetime,
    archived_at -> Nullable<Datetime>,
} }
diesel::table! { shop_setting (name) { name -> Varchar, value -> Varchar, } }
diesel::table! { change_log (id) {
    id -> BigInt, kind -> Char, thing -> BigInt, at -> Datetime,
} }
diesel::table! { audit (id) {
    id -> BigInt, kind -> Varchar, thing -> BigInt, field -> Varchar, old_value -> Text, new_value -> Text, who -> Varchar, why -> Varchar, at -> Datetime,
} }
diesel::table! { import_run (id) {
    id -> BigInt, day_id -> Nullable<BigInt>, what -> Varchar, state -> Varchar, done -> Integer, total -> Integer, message -> Text, cancel_asked -> Bool, started_at -> Datetime,
    owner -> Varchar, beat -> Datetime, claim -> Nullable<Char>,
} }

diesel::allow_tables_to_appear_in_same_query!(
    sign_off,
    thread,
    thread_step,
    vehicle,
    build_state,
    map_revision,
    fuel,
    cell_day,
    pull_set,
    raw_file,
    raw_chunk,
    inbox,
    source_mapping,
    pull,
    sample_block,
    pull_summary,
    import_run,
    day_note,
    day_air,
    day_fuel,
    intervention,
    vehicle_limit,
    cell,
    map_use,
    attachment,
    fuel_batch,
    tank_event,
    flash,
    ladder_word,
    report,
    report_about,
    report_print,
    share_link
);
diesel::joinable!(sign_off -> map_revision (map_id));
diesel::joinable!(sign_off -> fuel (fuel_id));
diesel::joinable!(thread -> vehicle (vehicle_id));
diesel::joinable!(thread_step -> map_revision (map_id));
diesel::joinable!(thread_step -> thread (thread_id));
diesel::joinable!(cell_day -> vehicle (vehicle_id));
diesel::joinable!(report -> vehicle (vehicle_id));
diesel::joinable!(share_link -> report (report_id));
diesel::joinable!(cell_day -> cell (cell_id));
diesel::joinable!(vehicle_limit -> vehicle (vehicle_id));
diesel::joinable!(pull_set -> cell_day (day_id));
diesel::joinable!(pull_set -> map_revision (map_id));
diesel::joinable!(pull_set -> fuel (fuel_id));
diesel::joinable!(pull_set -> build_state (build_id));
diesel::joinable!(pull -> pull_set (set_id));
diesel::joinable!(pull_summary -> pull (pull_id));
diesel::joinable!(sample_block -> pull (pull_id));
diesel::joinable!(raw_chunk -> raw_file (file_id));
diesel::joinable!(inbox -> raw_file (file_id));
diesel::joinable!(map_revision -> raw_file (file_id));
diesel::joinable!(day_fuel -> fuel (fuel_id));
diesel::joinable!(attachment -> raw_file (file_id));
diesel::joinable!(map_use -> map_revision (map_id));
diesel::joinable!(intervention -> cell_day (day_id));
diesel::joinable!(day_note -> cell_day (day_id));
diesel::joinable!(fuel_batch -> fuel (fuel_id));
diesel::joinable!(tank_event -> cell_day (day_id));
diesel::joinable!(tank_event -> fuel (fuel_id));
diesel::joinable!(tank_event -> fuel_batch (batch_id));
diesel::joinable!(flash -> vehicle (vehicle_id));
diesel::joinable!(flash -> map_revision (map_id));
diesel::joinable!(ladder_word -> vehicle (vehicle_id));
