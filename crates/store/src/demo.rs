//! Taking the demo away again, and bulk data for search and load work.

use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::right::{clear_days, clear_vehicle};
use crate::schema::{
    cell_day, day_air, day_fuel, day_note, import_run, inbox, pull, pull_set, pull_summary, sample_block,
    vehicle,
};
use diesel::prelude::*;
use diesel::sql_query;
use diesel::sql_types::{BigInt, Text};
use diesel_async::{AsyncConnection, AsyncMysqlConnection, RunQueryDsl};

/// Pulls inserted in one statement.
const BATCH: i64 = 50_000;
/// Pulls of a bulk set, sets of a bulk day.
const PULLS_PER_SET: i64 = 4;
const SETS_PER_DAY: i64 = 8;
/// Days taken away in one transaction.
const DAYS_AT_ONCE: i64 = 8;
/// Vehicles of the bulk data.
const VEHICLES: i64 = 40;

impl Store {
    /// Takes the demo's days away, and its vehicles where no day of the user's own stands on them. Raw files
    /// stay in custody. Returns the vehicles that stay because a day of the user's own does.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses. Days go a few at a time, each whole; asked again it goes on
    /// where it stopped.
    #[boxed]
    pub async fn remove_demo(&self) -> Result<Vec<String>, StoreError> {
        loop {
            let some = self
                .transact(async |c| {
                    let days: Vec<i64> = cell_day::table
                        .filter(cell_day::demo.eq(true))
                        .select(cell_day::id)
                        .limit(DAYS_AT_ONCE)
                        .load(c)
                        .await?;
                    clear_days(c, &days).await?;
                    Ok(!days.is_empty())
                })
                .await?;
            if !some {
                break;
            }
        }
        self.transact(async |c| {
            let mut kept = Vec::new();
            for id in Self::demo_vehicles(c).await? {
                let own: i64 =
                    cell_day::table.filter(cell_day::vehicle_id.eq(id)).count().get_result(c).await?;
                if own > 0 {
                    kept.push(vehicle::table.find(id).select(vehicle::name).first(c).await?);
                    diesel::update(vehicle::table.find(id)).set(vehicle::demo.eq(false)).execute(c).await?;
                    continue;
                }
                // Its files stay in custody, and a map that serves a vehicle of the user's own stays with that.
                clear_vehicle(c, id).await?;
            }
            Ok(kept)
        })
        .await
    }

    /// Whether a day of the demo is there.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn has_demo(&self) -> Result<bool, StoreError> {
        let mut c = self.conn().await?;
        Ok(diesel::select(diesel::dsl::exists(cell_day::table.filter(cell_day::demo.eq(true))))
            .get_result(&mut c)
            .await?)
    }

    /// How many pulls there are.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn pull_count(&self) -> Result<i64, StoreError> {
        let mut c = self.conn().await?;
        Ok(pull::table.count().get_result(&mut c).await?)
    }

    /// Adds `pulls` pulls of bulk data: days, sets and summary rows of their own with figures spread as a
    /// shop's would be, samples and curves shared with the pull `like`. Progress goes to a run after every
    /// batch.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses, or when there is no such pull.
    #[boxed]
    pub async fn add_bulk(&self, pulls: i64, like: i64, run_id: i64) -> Result<(), StoreError> {
        // Sets a variable of its session, so the connection never goes back to the pool.
        let mut c = self.detached().await?;
        let (set_id, dyno_file, algorithm): (i64, i64, i32) = pull::table
            .inner_join(pull_summary::table)
            .filter(pull::id.eq(like))
            .select((pull::set_id, pull::dyno_file_id, pull_summary::algorithm))
            .first(&mut c)
            .await
            .map_err(|e| StoreError::from(e).about("pull", like))?;
        let like_vehicle: i64 = pull_set::table
            .inner_join(cell_day::table)
            .filter(pull_set::id.eq(set_id))
            .select(cell_day::vehicle_id)
            .first(&mut c)
            .await?;
        let mut cast = Vec::new();
        for k in 0..VEHICLES {
            cast.push(bulk_cast(&mut c, k, like_vehicle).await?);
        }
        // Indexes in memory are told once at the end instead of row by row.
        sql_query("SET @jamjar_bulk = 1").execute(&mut c).await?;
        let result = self.bulk_batches(&mut c, pulls, like, dyno_file, algorithm, &cast, run_id).await;
        sql_query("INSERT INTO change_log (kind, thing) VALUES ('a', 0)").execute(&mut c).await?;
        result
    }

    #[allow(clippy::too_many_arguments)]
    async fn bulk_batches(
        &self,
        c: &mut AsyncMysqlConnection,
        pulls: i64,
        like: i64,
        file: i64,
        algorithm: i32,
        cast: &[Cast],
        run_id: i64,
    ) -> Result<(), StoreError> {
        let mut done = 0;
        while done < pulls {
            let batch = BATCH.min(pulls - done);
            c.transaction(async |c| bulk_batch(c, batch, done, like, file, algorithm, cast).await).await?;
            done += batch;
            if self.progress(run_id, (done / 1000) as i32, &format!("{done} pulls")).await? {
                break;
            }
        }
        Ok(())
    }
}

pub(crate) async fn remove_days(c: &mut AsyncMysqlConnection, days: &[i64]) -> Result<(), StoreError> {
    let sets: Vec<i64> =
        pull_set::table.filter(pull_set::day_id.eq_any(days)).select(pull_set::id).load(c).await?;
    let pulls: Vec<i64> = pull::table
        .filter(pull::set_id.eq_any(&sets))
        .order(pull::shares_pull_id.desc())
        .select(pull::id)
        .load(c)
        .await?;
    for part in pulls.chunks(1000) {
        diesel::delete(pull_summary::table.filter(pull_summary::pull_id.eq_any(part))).execute(c).await?;
        diesel::delete(sample_block::table.filter(sample_block::pull_id.eq_any(part))).execute(c).await?;
    }
    for part in pulls.chunks(1000) {
        diesel::update(pull::table.filter(pull::shares_pull_id.eq_any(part)))
            .set(pull::shares_pull_id.eq(None::<i64>))
            .execute(c)
            .await?;
        diesel::delete(pull::table.filter(pull::id.eq_any(part))).execute(c).await?;
    }
    diesel::delete(pull_set::table.filter(pull_set::id.eq_any(&sets))).execute(c).await?;
    diesel::delete(day_note::table.filter(day_note::day_id.eq_any(days))).execute(c).await?;
    diesel::delete(day_air::table.filter(day_air::day_id.eq_any(days))).execute(c).await?;
    diesel::delete(day_fuel::table.filter(day_fuel::day_id.eq_any(days))).execute(c).await?;
    diesel::delete(inbox::table.filter(inbox::day_id.eq_any(days))).execute(c).await?;
    diesel::delete(import_run::table.filter(import_run::day_id.eq_any(days))).execute(c).await?;
    diesel::delete(cell_day::table.filter(cell_day::id.eq_any(days))).execute(c).await?;
    Ok(())
}

/// A vehicle of the bulk data with a build, maps and fuels.
struct Cast {
    vehicle: i64,
    build: i64,
    first_map: i64,
    fuels: Vec<i64>,
}

/// Maps of each bulk vehicle.
const MAPS: i64 = 6;

async fn bulk_cast(c: &mut AsyncMysqlConnection, k: i64, like: i64) -> Result<Cast, StoreError> {
    let name = format!("Bulk {:02}", k + 1);
    let found: Option<i64> =
        vehicle::table.filter(vehicle::name.eq(&name)).select(vehicle::id).first(c).await.optional()?;
    let vehicle = match found {
        Some(id) => id,
        None => Store::bulk_vehicle(c, &name, like).await?,
    };
    let build = crate::vehicles::build_named(c, vehicle, "A").await?;
    let mut maps = Vec::new();
    for m in 0..MAPS {
        let (name, kind) = if m == 0 { ("Stock".to_owned(), "stock") } else { (format!("R{m}"), "custom") };
        maps.push(crate::vehicles::map_named(c, vehicle, &name, kind).await?);
    }
    let mut fuels = Vec::new();
    for f in ["RON 95 E5", "RON 98 E5", "E30", "E60", "E85"] {
        fuels.push(crate::vehicles::fuel_named(c, f).await?);
    }
    Ok(Cast { vehicle, build, first_map: maps[0], fuels })
}

async fn next_id(c: &mut AsyncMysqlConnection, table: &str) -> Result<i64, StoreError> {
    #[derive(QueryableByName)]
    struct Highest {
        #[diesel(sql_type = BigInt)]
        id: i64,
    }
    let h: Highest = sql_query(format!("SELECT CAST(COALESCE(MAX(id), 0) + 1 AS SIGNED) AS id FROM {table}"))
        .get_result(c)
        .await?;
    Ok(h.id)
}

/// One batch with ids of its own choosing: nothing else writes days, sets and pulls while bulk data is made.
async fn bulk_batch(
    c: &mut AsyncMysqlConnection,
    pulls: i64,
    from: i64,
    like: i64,
    file: i64,
    algorithm: i32,
    cast: &[Cast],
) -> Result<(), StoreError> {
    let (sets, days) = (
        (pulls + PULLS_PER_SET - 1) / PULLS_PER_SET,
        (pulls + PULLS_PER_SET * SETS_PER_DAY - 1) / (PULLS_PER_SET * SETS_PER_DAY),
    );
    let per_day = PULLS_PER_SET * SETS_PER_DAY;
    let (day0, set0, pull0) =
        (next_id(c, "cell_day").await?, next_id(c, "pull_set").await?, next_id(c, "pull").await?);
    let of = |pick: fn(&Cast) -> i64| cast.iter().map(|x| pick(x).to_string()).collect::<Vec<_>>().join(",");
    let fuels = cast[0].fuels.iter().map(ToString::to_string).collect::<Vec<_>>().join(",");
    let (vehicles, builds, maps, n) = (of(|x| x.vehicle), of(|x| x.build), of(|x| x.first_map), cast.len());
    sql_query(format!(
        "INSERT INTO cell_day (id, vehicle_id, on_date, place, temperature_c, humidity, pressure_hpa, note, demo) \
         SELECT {day0} + seq, ELT(1 + MOD(seq + {from}, {n}), {vehicles}), DATE '2014-01-06' + INTERVAL MOD(seq + {from} DIV 32, 4300) DAY, 'cell 1', \
         12 + 18 * RAND(seq + {from}), 0.3 + 0.4 * RAND(seq + 7), 985 + 40 * RAND(seq + 13), '', TRUE FROM seq_0_to_{}",
        days - 1
    ))
    .execute(c)
    .await?;
    sql_query(format!(
        "INSERT INTO pull_set (id, day_id, build_id, map_id, fuel_id, position, boost, gear, extras, note) \
         SELECT {set0} + seq, {day0} + seq DIV {SETS_PER_DAY}, ELT(1 + MOD(seq DIV {SETS_PER_DAY} + {from}, {n}), {builds}), \
         ELT(1 + MOD(seq DIV {SETS_PER_DAY} + {from}, {n}), {maps}) + MOD(seq, {MAPS}), ELT(1 + FLOOR(5 * RAND(seq + {from})), {fuels}), \
         1 + MOD(seq, {SETS_PER_DAY}), CONCAT(60 + 20 * FLOOR(6 * RAND(seq + 3)), ' kPa'), 3 + FLOOR(3 * RAND(seq + 5)), '{{}}', '' FROM seq_0_to_{}",
        sets - 1
    ))
    .execute(c)
    .await?;
    sql_query(format!(
        "INSERT INTO pull (id, set_id, position, dyno_file_id, dyno_mapping, note, shares_pull_id) \
         SELECT {pull0} + seq, {set0} + seq DIV {PULLS_PER_SET}, 1 + MOD(seq, {PULLS_PER_SET}), {file}, '{{}}', '', {like} FROM seq_0_to_{}",
        pulls - 1
    ))
    .execute(c)
    .await?;
    sql_query(format!(
        "INSERT INTO pull_summary (pull_id, algorithm, settings, peak_power_kw, peak_power_rpm, peak_torque_nm, ended_by, alignment, worst_limit, measured, \
         air_temperature_c, air_humidity, air_pressure_hpa, limit_used, flags, spark, reached) \
         SELECT {pull0} + seq, {algorithm}, ?, 90 + 12 * MOD(seq DIV {PULLS_PER_SET}, {MAPS}) + 25 * RAND(seq DIV {PULLS_PER_SET} + {from}) + RAND(seq + 1), \
         5800 + 50 * FLOOR(18 * RAND(seq + 2)), 170 + 15 * MOD(seq DIV {PULLS_PER_SET}, {MAPS}) + 40 * RAND(seq DIV {PULLS_PER_SET} + 11), \
         ELT(1 + FLOOR(8 * RAND(seq + 17)), 'rev_limiter', 'abort', 'lift', 'lift', 'lift', 'lift', 'lift', 'lift'), 'aligned', \
         ELT(1 + FLOOR(6 * RAND(seq + 19)), 'over', 'close', 'not_measured', 'clear', 'clear', 'clear'), '', \
         12 + 18 * RAND(seq DIV {per_day} + {from}), 0.3 + 0.4 * RAND(seq DIV {per_day} + 7), 985 + 40 * RAND(seq DIV {per_day} + 13), \
         0.5 + 0.6 * RAND(seq + 19), IF(RAND(seq + 23) < 0.05, 'heat_soak', ''), (SELECT k.spark FROM pull_summary k WHERE k.pull_id = {like}), (SELECT k.reached FROM pull_summary k WHERE k.pull_id = {like}) FROM seq_0_to_{}",
        pulls - 1
    ))
    .bind::<Text, _>("bulk")
    .execute(c)
    .await?;
    Ok(())
}
