//! Taking a shop out: all rows of some vehicles, as they stand at one moment.

use super::rows::{
    AboutRow, AttachmentRow, FileRow, LimitRow, MapRow, MapUseRow, MergedRow, PrintRow, Shop, VehicleRow,
};
use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::files::hex;
use crate::schema::{
    attachment, audit, build_state, cell, cell_day, contact, day_air, day_fuel, day_note, flash, fuel,
    fuel_batch, inbox, intervention, ladder_word, line_up, map_revision, map_use, merged_id, plan_item, pull,
    pull_set, raw_file, report, report_about, report_print, shop_setting, sign_off, slip, source_mapping,
    tank_event, thread, thread_step, vehicle, vehicle_limit,
};
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use std::collections::BTreeSet;

/// Ids asked for in one query.
const AT_ONCE: usize = 2000;

/// All rows of a table whose column is one of some ids, by id.
macro_rules! rows_of {
    ($c:ident, $table:ident :: $column:ident in $ids:expr) => {{
        let mut out = Vec::new();
        for part in $ids.chunks(AT_ONCE) {
            let rows = $table::table
                .filter($table::$column.eq_any(part))
                .order($table::id)
                .select(SelectableHelper::as_select())
                .load($c)
                .await?;
            out.extend(rows);
        }
        out
    }};
}

impl Store {
    /// Ids of all vehicles, archived ones too.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn vehicle_ids(&self) -> Result<Vec<i64>, StoreError> {
        let mut c = self.conn().await?;
        Ok(vehicle::table.order(vehicle::id).select(vehicle::id).load(&mut c).await?)
    }

    /// A vehicle and its limits alone.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such vehicle.
    #[boxed]
    pub async fn take_out_sheet(&self, vehicle: i64) -> Result<(VehicleRow, Vec<LimitRow>), StoreError> {
        self.at_one_moment(async |c| {
            let own = [vehicle];
            let rows: Vec<VehicleRow> = rows_of!(c, vehicle::id in own);
            let row = rows.into_iter().next().ok_or(StoreError::NotFound { what: "vehicle", id: vehicle })?;
            Ok((row, rows_of!(c, vehicle_limit::vehicle_id in own)))
        })
        .await
    }

    /// Everything of some vehicles but their files and samples, as of one moment.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] for a vehicle that is not there; [`StoreError::Other`] for pulls without samples of
    /// their own, which only load work has.
    #[boxed]
    pub async fn take_out(&self, vehicles: &[i64]) -> Result<Shop, StoreError> {
        // In steps of a size the compiler checks quickly.
        self.at_one_moment(async |c| {
            let mut s = Shop::default();
            themselves(c, &mut s, vehicles).await?;
            written_of(c, &mut s, vehicles).await?;
            days(c, &mut s, vehicles).await?;
            fuels_and_cells(c, &mut s).await?;
            attached(c, &mut s, vehicles).await?;
            trail(c, &mut s, vehicles).await?;
            files(c, &mut s).await?;
            Ok(s)
        })
        .await
    }
}

/// Vehicles, their limits and builds, and the maps made for them or lent to them.
#[boxed]
async fn themselves(c: &mut AsyncMysqlConnection, s: &mut Shop, vehicles: &[i64]) -> Result<(), StoreError> {
    s.vehicles = rows_of!(c, vehicle::id in vehicles);
    let there = |id: &i64| s.vehicles.iter().any(|v| v.id == Some(*id));
    if let Some(id) = vehicles.iter().copied().find(|id| !there(id)) {
        return Err(StoreError::NotFound { what: "vehicle", id });
    }
    s.limits = rows_of!(c, vehicle_limit::vehicle_id in vehicles);
    s.builds = rows_of!(c, build_state::vehicle_id in vehicles);
    s.maps = rows_of!(c, map_revision::vehicle_id in vehicles);
    for part in vehicles.chunks(AT_ONCE) {
        let rows = map_use::table.filter(map_use::vehicle_id.eq_any(part));
        s.map_uses.extend(rows.select(MapUseRow::as_select()).load(c).await?);
    }
    // A map made for a vehicle that stays here goes along as one of the vehicle it serves.
    let own: BTreeSet<Option<i64>> = s.maps.iter().map(|m| m.id).collect();
    let lent = ids(s.map_uses.iter().map(|u| Some(u.map_id)).filter(|m| !own.contains(m)));
    let mut lent: Vec<MapRow> = rows_of!(c, map_revision::id in lent);
    for m in &mut lent {
        let serves = s.map_uses.iter().find(|u| Some(u.map_id) == m.id);
        m.vehicle_id = serves.map_or(m.vehicle_id, |u| u.vehicle_id);
    }
    s.maps.extend(lent);
    Ok(())
}

/// What was written about them: line-ups, plans, flashes, slips, reports.
#[boxed]
async fn written_of(c: &mut AsyncMysqlConnection, s: &mut Shop, vehicles: &[i64]) -> Result<(), StoreError> {
    s.line_ups = rows_of!(c, line_up::vehicle_id in vehicles);
    s.plans = rows_of!(c, plan_item::vehicle_id in vehicles);
    s.flashes = rows_of!(c, flash::vehicle_id in vehicles);
    s.ladder_words = rows_of!(c, ladder_word::vehicle_id in vehicles);
    s.slips = rows_of!(c, slip::vehicle_id in vehicles);
    s.sign_offs = rows_of!(c, sign_off::vehicle_id in vehicles);
    s.contacts = rows_of!(c, contact::vehicle_id in vehicles);
    s.threads = rows_of!(c, thread::vehicle_id in vehicles);
    let threads = ids(s.threads.iter().map(|t| t.id));
    s.thread_steps = rows_of!(c, thread_step::thread_id in threads);
    s.reports = rows_of!(c, report::vehicle_id in vehicles);
    let issued = ids(s.reports.iter().map(|r| r.id));
    for part in issued.chunks(AT_ONCE) {
        let about = report_about::table.filter(report_about::report_id.eq_any(part));
        s.reports_about.extend(about.select(AboutRow::as_select()).load(c).await?);
        let prints = report_print::table.filter(report_print::report_id.eq_any(part));
        s.report_prints.extend(prints.select(PrintRow::as_select()).load(c).await?);
    }
    Ok(())
}

/// Their days with sets and pulls.
#[boxed]
async fn days(c: &mut AsyncMysqlConnection, s: &mut Shop, vehicles: &[i64]) -> Result<(), StoreError> {
    s.days = rows_of!(c, cell_day::vehicle_id in vehicles);
    let days = ids(s.days.iter().map(|d| d.id));
    s.notes = rows_of!(c, day_note::day_id in days);
    s.air = rows_of!(c, day_air::day_id in days);
    s.interventions = rows_of!(c, intervention::day_id in days);
    s.fuel_on_hand = rows_of!(c, day_fuel::day_id in days);
    s.poured = rows_of!(c, tank_event::day_id in days);
    s.waiting = rows_of!(c, inbox::day_id in days);
    s.sets = rows_of!(c, pull_set::day_id in days);
    let sets = ids(s.sets.iter().map(|x| x.id));
    s.pulls = rows_of!(c, pull::set_id in sets);
    let pulls = ids(s.pulls.iter().map(|p| p.id));
    for part in pulls.chunks(AT_ONCE) {
        let shared: i64 = pull::table
            .filter(pull::id.eq_any(part).and(pull::shares_pull_id.is_not_null()))
            .count()
            .get_result(c)
            .await?;
        if shared > 0 {
            return Err(StoreError::Other(format!("{shared} pulls have no samples of their own")));
        }
    }
    Ok(())
}

/// Fuels they ran on, and the cells they stood in.
#[boxed]
async fn fuels_and_cells(c: &mut AsyncMysqlConnection, s: &mut Shop) -> Result<(), StoreError> {
    let fuels = s.sets.iter().map(|x| x.fuel_id).chain(s.fuel_on_hand.iter().map(|f| f.fuel_id));
    let fuels = fuels.chain(s.poured.iter().map(|p| p.fuel_id));
    let fuels = ids(fuels.map(Some));
    s.fuels = rows_of!(c, fuel::id in fuels);
    s.batches = rows_of!(c, fuel_batch::fuel_id in fuels);
    let mut places: Vec<&str> = s.days.iter().map(|d| d.place.as_str()).collect();
    places.sort_unstable();
    places.dedup();
    s.cells = cell::table
        .filter(cell::name.eq_any(places))
        .order(cell::id)
        .select(SelectableHelper::as_select())
        .load(c)
        .await?;
    Ok(())
}

/// What is attached to any of it, and what was merged into it.
#[boxed]
async fn attached(c: &mut AsyncMysqlConnection, s: &mut Shop, vehicles: &[i64]) -> Result<(), StoreError> {
    for (kind, things) in [
        ("vehicle", vehicles.to_vec()),
        ("day", ids(s.days.iter().map(|d| d.id))),
        ("note", ids(s.notes.iter().map(|n| n.id))),
        ("set", ids(s.sets.iter().map(|x| x.id))),
        ("pull", ids(s.pulls.iter().map(|p| p.id))),
    ] {
        for part in things.chunks(AT_ONCE) {
            let rows = attachment::table
                .filter(attachment::kind.eq(kind).and(attachment::thing.eq_any(part)))
                .order(attachment::id)
                .select(AttachmentRow::as_select());
            s.attachments.extend(rows.load(c).await?);
        }
    }
    for (kind, things) in [
        ("vehicle", vehicles.to_vec()),
        ("map", ids(s.maps.iter().map(|m| m.id))),
        ("fuel", ids(s.fuels.iter().map(|f| f.id))),
    ] {
        for part in things.chunks(AT_ONCE) {
            let rows = merged_id::table
                .filter(merged_id::kind.eq(kind).and(merged_id::into_id.eq_any(part)))
                .select(MergedRow::as_select());
            s.merged.extend(rows.load(c).await?);
        }
    }
    Ok(())
}

/// What was put right, where recordings come from, and for a whole shop what it has chosen.
#[boxed]
async fn trail(c: &mut AsyncMysqlConnection, s: &mut Shop, vehicles: &[i64]) -> Result<(), StoreError> {
    for (kind, things) in [
        ("vehicle", vehicles.to_vec()),
        ("day", ids(s.days.iter().map(|d| d.id))),
        ("set", ids(s.sets.iter().map(|x| x.id))),
        ("pull", ids(s.pulls.iter().map(|p| p.id))),
        ("map", ids(s.maps.iter().map(|m| m.id))),
        ("build", ids(s.builds.iter().map(|b| b.id))),
        ("fuel", ids(s.fuels.iter().map(|f| f.id))),
    ] {
        for part in things.chunks(AT_ONCE) {
            let rows = audit::table
                .filter(audit::kind.eq(kind).and(audit::thing.eq_any(part)))
                .order(audit::id)
                .select(SelectableHelper::as_select())
                .load(c)
                .await?;
            s.put_right.extend(rows);
        }
    }
    s.put_right.sort_by_key(|t| t.id);
    s.sources = source_mapping::table
        .order(source_mapping::source)
        .select(SelectableHelper::as_select())
        .load(c)
        .await?;
    let all: i64 = vehicle::table.count().get_result(c).await?;
    if usize::try_from(all).is_ok_and(|all| all == s.vehicles.len()) {
        let rows = shop_setting::table.order(shop_setting::name);
        s.settings = rows.select(SelectableHelper::as_select()).load(c).await?;
    }
    Ok(())
}

/// The files of all that.
#[boxed]
async fn files(c: &mut AsyncMysqlConnection, s: &mut Shop) -> Result<(), StoreError> {
    let files = s.pulls.iter().flat_map(|p| [Some(p.dyno_file_id), p.ecu_file_id]);
    let files = files
        .chain(s.maps.iter().map(|m| m.file_id))
        .chain(s.attachments.iter().map(|a| Some(a.file_id)))
        .chain(s.waiting.iter().map(|w| Some(w.file_id)));
    for part in ids(files).chunks(AT_ONCE) {
        let rows: Vec<(i64, Vec<u8>, String, i64)> = raw_file::table
            .filter(raw_file::id.eq_any(part))
            .order(raw_file::id)
            .select((raw_file::id, raw_file::sha256, raw_file::name, raw_file::bytes))
            .load(c)
            .await?;
        let row = |(id, sha, name, bytes): (i64, Vec<u8>, String, i64)| FileRow {
            id,
            sha256: hex(&sha),
            name,
            bytes,
        };
        s.files.extend(rows.into_iter().map(row));
    }
    Ok(())
}

/// Ids that are there, each once, ascending.
fn ids(all: impl Iterator<Item = Option<i64>>) -> Vec<i64> {
    all.flatten().collect::<BTreeSet<i64>>().into_iter().collect()
}
