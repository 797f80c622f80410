//! What goes along when two vehicles become one.

use super::audit::{By, Change, Subject, keep};
use crate::error::StoreError;
use crate::schema::{
    attachment, contact, flash, ladder_word, line_up, map_revision, plan_item, report, sign_off, slip,
    thread, thread_step, vehicle_limit,
};
use crate::vehicles::map_named;
use diesel::prelude::*;
use diesel::sql_types::BigInt;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use std::collections::BTreeSet;

/// Both vehicles.
#[derive(Debug, Clone, Copy)]
pub(super) struct Way {
    pub(super) from: i64,
    pub(super) into: i64,
}

/// A map as it is carried.
#[derive(Queryable)]
struct Held {
    id: i64,
    name: String,
    file: Option<i64>,
}

async fn held(c: &mut AsyncMysqlConnection, vehicle: i64) -> Result<Vec<Held>, StoreError> {
    Ok(map_revision::table
        .filter(map_revision::vehicle_id.eq(vehicle))
        .order(map_revision::id)
        .select((map_revision::id, map_revision::name, map_revision::file_id))
        .load(c)
        .await?)
}

/// Maps whose names the other does not have become its own, files and all; where it has the name and no file, it
/// gets the file.
///
/// # Errors
/// [`StoreError::Refused`] naming maps that hold different files under one name.
pub(super) async fn maps(c: &mut AsyncMysqlConnection, way: Way) -> Result<(), StoreError> {
    let (own, there) = (held(c, way.from).await?, held(c, way.into).await?);
    let mut differ = Vec::new();
    for m in own {
        let Some(same) = there.iter().find(|t| t.name == m.name) else {
            diesel::update(map_revision::table.find(m.id))
                .set(map_revision::vehicle_id.eq(way.into))
                .execute(c)
                .await?;
            continue;
        };
        match (m.file, same.file) {
            (Some(a), Some(b)) if a != b => differ.push(m.name),
            (Some(a), None) => {
                diesel::update(map_revision::table.find(same.id))
                    .set(map_revision::file_id.eq(a))
                    .execute(c)
                    .await?;
            }
            _ => {}
        }
    }
    if !differ.is_empty() {
        return Err(StoreError::Refused(format!(
            "both vehicles hold a map called {} with different files: give one of them another name first",
            differ.join(", ")
        )));
    }
    // What was lent to the one serves the other; what was lent between them is its own by now.
    for sql in [
        "UPDATE IGNORE map_use u SET u.vehicle_id = ? WHERE u.vehicle_id = ?",
        "DELETE u FROM map_use u JOIN map_revision m ON m.id = u.map_id AND m.vehicle_id = u.vehicle_id \
         WHERE u.vehicle_id IN (?, ?)",
    ] {
        diesel::sql_query(sql).bind::<BigInt, _>(way.into).bind::<BigInt, _>(way.from).execute(c).await?;
    }
    Ok(())
}

/// Limits the other has none of that name for judge its pulls from now on.
async fn limits(c: &mut AsyncMysqlConnection, way: Way, by: &By) -> Result<(), StoreError> {
    let there: Vec<String> = vehicle_limit::table
        .filter(vehicle_limit::vehicle_id.eq(way.into))
        .select(vehicle_limit::name)
        .load(c)
        .await?;
    let last: Option<i32> = vehicle_limit::table
        .filter(vehicle_limit::vehicle_id.eq(way.into))
        .select(diesel::dsl::max(vehicle_limit::position))
        .first(c)
        .await?;
    let own = vehicle_limit::vehicle_id.eq(way.from).and(vehicle_limit::name.ne_all(there));
    let gone: Vec<(i64, String)> = vehicle_limit::table
        .filter(own)
        .order(vehicle_limit::position)
        .select((vehicle_limit::id, vehicle_limit::name))
        .load(c)
        .await?;
    for (i, (id, name)) in gone.into_iter().enumerate() {
        diesel::update(vehicle_limit::table.find(id))
            .set((
                vehicle_limit::vehicle_id.eq(way.into),
                vehicle_limit::position.eq(last.unwrap_or(-1) + 1 + i as i32),
            ))
            .execute(c)
            .await?;
        keep(c, Subject::Vehicle(way.into), by, &[Change::new("limit", "", name)]).await?;
    }
    Ok(())
}

/// Rows that name a map by its id become those of the other vehicle, with the map of that name there.
macro_rules! with_maps {
    ($c:ident, $table:ident, $way:ident, |$id:ident, $map:ident| $set:expr, $those:expr) => {{
        let own: Vec<(i64, String, String)> = $table::table
            .inner_join(map_revision::table)
            .filter($those)
            .select(($table::id, map_revision::name, map_revision::kind))
            .load($c)
            .await?;
        for ($id, name, kind) in own {
            let $map = map_named($c, $way.into, &name, &kind).await?;
            diesel::update($table::table.find($id)).set($set).execute($c).await?;
        }
    }};
}

/// Threads of one vehicle become those of another; the revisions in them those of the same names.
async fn threads(c: &mut AsyncMysqlConnection, way: Way) -> Result<(), StoreError> {
    let of: Vec<i64> =
        thread::table.filter(thread::vehicle_id.eq(way.from)).select(thread::id).load(c).await?;
    with_maps!(
        c,
        thread_step,
        way,
        |id, map| thread_step::map_id.eq(map),
        thread_step::thread_id.eq_any(&of)
    );
    diesel::update(thread::table.filter(thread::id.eq_any(of)))
        .set(thread::vehicle_id.eq(way.into))
        .execute(c)
        .await?;
    Ok(())
}

/// All rows of a table become those of the other vehicle.
macro_rules! all_of {
    ($c:ident, $way:ident: $($table:ident)*) => {$(
        diesel::update($table::table.filter($table::vehicle_id.eq($way.from)))
            .set($table::vehicle_id.eq($way.into))
            .execute($c)
            .await?;
    )*};
}

/// Everything that was said of a vehicle but its own sheet, once its days and maps have gone.
pub(super) async fn words(c: &mut AsyncMysqlConnection, way: Way, by: &By) -> Result<(), StoreError> {
    let taken: BTreeSet<String> = line_up::table
        .filter(line_up::vehicle_id.eq(way.into))
        .select(line_up::name)
        .load(c)
        .await?
        .into_iter()
        .collect();
    diesel::update(line_up::table.filter(line_up::vehicle_id.eq(way.from).and(line_up::name.ne_all(taken))))
        .set(line_up::vehicle_id.eq(way.into))
        .execute(c)
        .await?;
    with_maps!(
        c,
        flash,
        way,
        |id, map| (flash::vehicle_id.eq(way.into), flash::map_id.eq(map)),
        flash::vehicle_id.eq(way.from)
    );
    with_maps!(
        c,
        sign_off,
        way,
        |id, map| (sign_off::vehicle_id.eq(way.into), sign_off::map_id.eq(map)),
        sign_off::vehicle_id.eq(way.from)
    );
    threads(c, way).await?;
    all_of!(c, way: plan_item ladder_word slip report);
    diesel::sql_query("UPDATE IGNORE report_about SET vehicle_id = ? WHERE vehicle_id = ?")
        .bind::<BigInt, _>(way.into)
        .bind::<BigInt, _>(way.from)
        .execute(c)
        .await?;
    diesel::update(
        attachment::table.filter(attachment::kind.eq("vehicle").and(attachment::thing.eq(way.from))),
    )
    .set(attachment::thing.eq(way.into))
    .execute(c)
    .await?;
    let known: i64 = contact::table.filter(contact::vehicle_id.eq(way.into)).count().get_result(c).await?;
    if known == 0 {
        all_of!(c, way: contact);
    }
    limits(c, way, by).await
}
