//! The curves of a line-up in the open forms: a table, a file of columns, a measurement file.

use super::lineup::{Params, channels, file, read};
use crate::auth::Reader;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::lineup_channels;
use axum::extract::{Path, Query, State};
use axum::response::Response;
use jamjar_core::analysis::Along;
use jamjar_core::channel::Channel;
use jamjar_core::curve::{Quantity, index_of};
use jamjar_formats::{LogForm, Master, OutChannel, OutGroup, ParquetColumn, write_mdf, write_parquet};
use jamjar_store::SetWithPulls;
use jamjar_workflow::lineup::{Channels, LineUp};
use std::collections::BTreeSet;

/// Values along the axis; not a number where there are none.
struct Column {
    /// What they are of, and what they are.
    name: String,
    unit: &'static str,
    values: Vec<f64>,
}

impl Column {
    fn head(&self) -> String {
        format!("{} ({})", self.name, self.unit)
    }
}

/// The axis, then mean power, torque, their gains and bands of every set, in kW and N·m, and the channels whose lanes
/// are shown in their own units; one value for each place that any curve has.
fn columns(l: &LineUp, all: &Channels, lanes: &[Channel]) -> Vec<Column> {
    let mut grid: Vec<f64> = l.results.iter().flat_map(|r| r.drawn().rpm.clone()).collect();
    grid.sort_by(f64::total_cmp);
    grid.dedup();
    let (axis, unit) = match l.settings.along {
        Along::EngineSpeed => ("engine speed", "rpm"),
        Along::ShaftSpeed => ("dyno-shaft speed", "rpm"),
        Along::RoadSpeed => ("road speed", "km/h"),
        Along::Time => ("time from tip-in", "s"),
    };
    let names = names(l);
    let mut out = vec![Column { name: axis.into(), unit, values: grid.clone() }];
    for (i, (r, name)) in l.results.iter().zip(&names).enumerate() {
        let (own, c) = (r.drawn(), l.comparisons.iter().find(|c| c.candidate == i));
        let at = |v: &[f64], places: &[f64], x: f64| {
            index_of(places, x).and_then(|k| v.get(k).copied()).unwrap_or(f64::NAN)
        };
        let mut put = |what: &str, unit: &'static str, of: &dyn Fn(f64) -> f64| {
            out.push(Column {
                name: format!("{name} {what}"),
                unit,
                values: grid.iter().map(|x| of(*x)).collect(),
            });
        };
        put("power", "kW", &|x| at(&own.power_kw, &own.rpm, x));
        put("torque", "N·m", &|x| at(&own.torque_nm, &own.rpm, x));
        for (q, unit) in [(Quantity::Power, "kW"), (Quantity::Torque, "N·m")] {
            let gain = c.map(|c| c.gains(q).drawn());
            put("gain", unit, &|x| gain.map_or(f64::NAN, |g| at(&g.gain, &g.rpm, x)));
            put("band half-width", unit, &|x| gain.map_or(f64::NAN, |g| at(&g.half, &g.rpm, x)));
        }
        for c in lanes {
            let own = all.sets.get(i).and_then(|s| s.get(c));
            // Channels stand at engine speeds; the place of each on the axis is the set's own.
            let here = |x: f64| {
                let s = own?;
                let is_here = |rpm: &f64| r.place(*rpm).is_some_and(|p| (p - x).abs() < 1e-6);
                s.rpm.iter().position(is_here).map(|k| s.mean[k])
            };
            put(&c.label(), c.unit(), &|x| here(x).unwrap_or(f64::NAN));
        }
    }
    out
}

/// Names of the sets, with the day where two would be alike.
fn names(l: &LineUp) -> Vec<String> {
    let short = |i: usize| {
        let s = &l.sets[i].set;
        format!("{} on {} (set {})", s.config.map, s.config.fuel, s.position)
    };
    let all: Vec<String> = (0..l.sets.len()).map(short).collect();
    if all.iter().collect::<BTreeSet<_>>().len() == all.len() {
        return all;
    }
    let dated =
        |(s, name): (&SetWithPulls, &String)| format!("{name} of {}, number {}", s.set.date, s.set.id);
    l.sets.iter().zip(&all).map(dated).collect()
}

/// What the curves are, in a line.
fn about(l: &LineUp, prefs: &Prefs) -> String {
    format!(
        "{}; correction {}; headline {}; filter {} s",
        l.vehicle.vehicle.name.replace(['\n', '\r'], " "),
        prefs.correction_of(&l.vehicle.vehicle.engine).label(),
        prefs.headline.label(),
        prefs.smoothing_s
    )
}

/// A text that no spreadsheet takes for a formula.
fn plain(s: &str) -> String {
    let formula =
        s.trim_start().starts_with(['=', '+', '-', '@', '|', '%']) || s.starts_with(['\t', '\r', '\n']);
    if formula { format!("'{s}") } else { s.to_owned() }
}

/// As a spreadsheet of the shop reads it: one row per place on the axis.
fn table(columns: &[Column], about: &str, prefs: &Prefs) -> csv::Result<Vec<u8>> {
    let mut out = csv::WriterBuilder::new()
        .flexible(true)
        .delimiter(prefs.written.between_columns())
        .from_writer(Vec::new());
    out.write_record([plain(&format!("# {about}"))])?;
    out.write_record(columns.iter().map(|c| plain(&c.head())))?;
    let cell = |v: f64| {
        if v.is_finite() { prefs.written.decimal(format!("{v:.3}")) } else { String::new() }
    };
    for k in 0..columns[0].values.len() {
        let place = prefs.written.decimal(((columns[0].values[k] * 10.0).round() / 10.0).to_string());
        let rest = columns[1..].iter().map(|c| cell(c.values[k]));
        out.write_record(std::iter::once(place).chain(rest))?;
    }
    out.into_inner().map_err(|e| e.into_error().into())
}

/// The curves in one of the forms.
fn written(columns: &[Column], form: LogForm, about: &str, prefs: &Prefs) -> std::io::Result<Vec<u8>> {
    let mut out = Vec::new();
    // As the table heads them: a gain in kW and one in N·m are two.
    let heads: Vec<String> = columns.iter().map(Column::head).collect();
    match form {
        LogForm::Csv => out = table(columns, about, prefs).map_err(std::io::Error::other)?,
        LogForm::Parquet => {
            let all: Vec<ParquetColumn<'_>> = columns
                .iter()
                .zip(&heads)
                .map(|(c, name)| ParquetColumn { name, unit: c.unit, values: &c.values })
                .collect();
            write_parquet(&mut out, &all, about)?;
        }
        LogForm::Mdf => {
            // Curves have no clock: they are counted, and the axis is a channel like the others.
            let count: Vec<f64> = (0..columns[0].values.len()).map(|k| k as f64).collect();
            let channels = columns
                .iter()
                .zip(&heads)
                .map(|(c, name)| OutChannel { name, unit: c.unit, comment: "", values: &c.values })
                .collect();
            let group = OutGroup { name: "line-up", by: Master::Index, t: &count, channels };
            write_mdf(&mut out, &[group], (about, 0), true)?;
        }
    }
    Ok(out)
}

/// The curves of a line-up as csv, mf4 or parquet.
pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(ending): Path<String>,
    Query(p): Query<Params>,
) -> Result<Response, WebError> {
    let none = || WebError::NotFound("Curves are given out as csv, mf4 or parquet.".into());
    let form = LogForm::ALL.into_iter().find(|f| f.ending() == ending).ok_or_else(none)?;
    let kept = read(&state, &prefs, &p).await?;
    let all = channels(&state, &p, &kept.0).await?;
    let lanes = lineup_channels(&p.asked()?, &all);
    let bytes = written(&columns(&kept.0, &all, &lanes), form, &about(&kept.0, &prefs), &prefs)
        .map_err(|e| WebError::Internal(e.to_string()))?;
    let media = if form == LogForm::Csv { "text/csv; charset=utf-8" } else { form.media() };
    Ok(file(media, &format!("line-up.{ending}"), bytes))
}

/// The table under the address it always had.
pub(crate) async fn csv(
    r: Reader,
    prefs: Prefs,
    state: State<AppState>,
    q: Query<Params>,
) -> Result<Response, WebError> {
    show(r, prefs, state, Path("csv".into()), q).await
}
