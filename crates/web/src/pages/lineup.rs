//! The line-up page and its downloads.

use super::{encoding, page, page_key};
use crate::assets::picture_fonts;
use crate::auth::Reader;
use crate::cookies::keeping;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::views::{Encoding, LineUpAsked, LineUpFields, chart_of, lineup_page};
use axum::extract::{Query, State};
use axum::http::Uri;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{Html, IntoResponse, Response};
use jamjar_chart::{Paint, lineup_svg};
use jamjar_core::analysis::{Along, Comparison, Settings};
use jamjar_core::curve::index_of;
use jamjar_store::Thing;
use jamjar_workflow::keep::Made;
use jamjar_workflow::lineup::{LineUp, line_up};
use resvg::{tiny_skia, usvg};
use serde::Deserialize;
use std::sync::{Arc, OnceLock};

/// Pixels per chart unit in the PNG.
const PNG_SCALE: f32 = 2.0;

#[derive(Deserialize)]
pub(crate) struct Params {
    #[serde(default)]
    sets: String,
    base: Option<i64>,
    focus: Option<i64>,
    #[serde(default)]
    view: String,
    #[serde(default)]
    band: String,
    #[serde(default)]
    at: String,
    #[serde(default)]
    across: String,
    #[serde(default)]
    along: String,
}

impl Params {
    fn asked(&self) -> Result<LineUpAsked, WebError> {
        let Self { view, band, at, across, along, .. } = self;
        LineUpAsked::read(&LineUpFields { focus: self.focus, view, band, at, across, along })
            .map_err(WebError::Bad)
    }
}

/// The line-up asked for, kept while the figures of its days and its vehicle stay as they are.
async fn read(state: &AppState, prefs: &Prefs, p: &Params) -> Result<Arc<(LineUp, Encoding)>, WebError> {
    let mut ids: Vec<i64> = p.sets.split(',').filter_map(|s| s.trim().parse().ok()).collect();
    let mut seen = std::collections::HashSet::new();
    ids.retain(|i| seen.insert(*i));
    if ids.is_empty() {
        return Err(WebError::Bad(
            "A line-up needs sets: tick some on a day sheet and press “Line up”.".into(),
        ));
    }
    let asked = p.asked()?;
    let settings = Settings {
        at_rpm: asked.at,
        across_gears: !asked.across.is_empty(),
        along: asked.along,
        ..prefs.settings(asked.band)
    };
    let since = state.fresh.look(&state.store).await?;
    let key = format!("{ids:?} {:?} {settings:?}", p.base);
    let made = || async {
        let l = line_up(&state.store, &ids, p.base, &settings).await?;
        let e = encoding(state, l.vehicle.id).await?;
        let weight = l.measured.iter().map(Vec::len).sum::<usize>() * PULL_WEIGHT;
        Ok(Made { rests_on: rests_on(&l), weight, lasts: true, value: (l, e) })
    };
    state.lineups.get_or_make(key, &state.fresh, since, made).await
}

/// Bytes a measured pull takes in memory, about.
const PULL_WEIGHT: usize = 64 << 10;

fn rests_on(l: &LineUp) -> Vec<Thing> {
    let mut out: Vec<Thing> = l.sets.iter().map(|s| Thing::Figures(s.set.day_id)).collect();
    out.extend([Thing::Vehicle(l.vehicle.id), Thing::Names]);
    out.sort_unstable();
    out.dedup();
    out
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    uri: Uri,
    Query(p): Query<Params>,
) -> Result<Response, WebError> {
    let made = || async {
        let kept = read(&state, &prefs, &p).await?;
        let (l, e) = &*kept;
        let body = page(&lineup_page(l, e, &prefs, &p.asked()?))?.0;
        Ok(PageMade { body, rests_on: rests_on(l), lasts: true })
    };
    let body = state.page(page_key(&uri, &prefs), made).await?;
    Ok((keeping([prefs.cookie()]), Html(body)).into_response())
}

fn file(kind: &'static str, name: &str, body: impl IntoResponse) -> Response {
    (
        [(CONTENT_TYPE, kind.to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\""))],
        body,
    )
        .into_response()
}

pub(crate) async fn svg(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(p): Query<Params>,
) -> Result<Response, WebError> {
    let kept = read(&state, &prefs, &p).await?;
    let (l, e) = &*kept;
    let focus = crate::views::lineup_focus(l, p.focus);
    Ok(file("image/svg+xml", "line-up.svg", lineup_svg(&chart_of(l, e, &prefs, focus), Paint::Light)))
}

fn fonts() -> Arc<usvg::fontdb::Database> {
    static FONTS: OnceLock<Arc<usvg::fontdb::Database>> = OnceLock::new();
    FONTS
        .get_or_init(|| {
            let mut db = usvg::fontdb::Database::new();
            picture_fonts().for_each(|f| db.load_font_data(f));
            Arc::new(db)
        })
        .clone()
}

/// Draws an SVG as PNG. The picture fonts have no λ, so it is spelled out there.
fn to_png(svg: &str) -> Result<Vec<u8>, WebError> {
    let broken = |e: String| WebError::Internal(format!("the picture cannot be drawn: {e}"));
    let options = usvg::Options {
        fontdb: fonts(),
        font_family: "Atkinson Hyperlegible Next".into(),
        ..usvg::Options::default()
    };
    let tree =
        usvg::Tree::from_str(&svg.replace('λ', "lambda"), &options).map_err(|e| broken(e.to_string()))?;
    let size = tree.size();
    let (w, h) = ((size.width() * PNG_SCALE).ceil() as u32, (size.height() * PNG_SCALE).ceil() as u32);
    let mut map = tiny_skia::Pixmap::new(w, h).ok_or_else(|| broken("no room".into()))?;
    resvg::render(&tree, tiny_skia::Transform::from_scale(PNG_SCALE, PNG_SCALE), &mut map.as_mut());
    map.encode_png().map_err(|e| broken(e.to_string()))
}

pub(crate) async fn png(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(p): Query<Params>,
) -> Result<Response, WebError> {
    let kept = read(&state, &prefs, &p).await?;
    let (l, e) = &*kept;
    let focus = crate::views::lineup_focus(l, p.focus);
    let svg = lineup_svg(&chart_of(l, e, &prefs, focus), Paint::Light);
    let png = tokio::task::spawn_blocking(move || to_png(&svg))
        .await
        .map_err(|e| WebError::Internal(e.to_string()))??;
    Ok(file("image/png", "line-up.png", png))
}

/// A text that no spreadsheet takes for a formula.
fn plain(s: &str) -> String {
    let formula =
        s.trim_start().starts_with(['=', '+', '-', '@', '|', '%']) || s.starts_with(['\t', '\r', '\n']);
    if formula { format!("'{s}") } else { s.to_owned() }
}

/// Mean power, torque, gain and band of every set, in kW and N·m, one row per place on the axis.
fn table(l: &LineUp, prefs: &Prefs) -> csv::Result<Vec<u8>> {
    let mut grid: Vec<f64> = l.results.iter().flat_map(|r| r.drawn().rpm.clone()).collect();
    grid.sort_by(f64::total_cmp);
    grid.dedup();
    let mut out = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
    let about = format!(
        "# {}; correction {}; headline {}; filter {} s",
        l.vehicle.vehicle.name.replace(['\n', '\r'], " "),
        prefs.correction_of(&l.vehicle.vehicle.engine).label(),
        prefs.headline.label(),
        prefs.smoothing_s
    );
    out.write_record([plain(&about)])?;
    let axis = match l.settings.along {
        Along::EngineSpeed => "engine speed (rpm)",
        Along::ShaftSpeed => "dyno-shaft speed (rpm)",
        Along::RoadSpeed => "road speed (km/h)",
        Along::Time => "time from tip-in (s)",
    };
    let mut heads = vec![axis.to_owned()];
    for s in &l.sets {
        let name = format!("{} on {} (set {})", s.set.config.map, s.set.config.fuel, s.set.position);
        let columns = ["power (kW)", "torque (N·m)", "gain (kW)", "band half-width (kW)"];
        heads.extend(columns.map(|what| plain(&format!("{name} {what}"))));
    }
    out.write_record(&heads)?;
    let cell = |v: Option<f64>| v.filter(|v| v.is_finite()).map_or_else(String::new, |v| format!("{v:.3}"));
    for x in grid {
        let at = |v: &[f64], places: &[f64]| v.get(index_of(places, x)?).copied();
        let mut row = vec![((x * 10.0).round() / 10.0).to_string()];
        for (i, r) in l.results.iter().enumerate() {
            let (own, c) =
                (r.drawn(), l.comparisons.iter().find(|c| c.candidate == i).map(Comparison::drawn));
            row.push(cell(at(&own.power_kw, &own.rpm)));
            row.push(cell(at(&own.torque_nm, &own.rpm)));
            row.push(cell(c.and_then(|g| at(&g.gain_kw, &g.rpm))));
            row.push(cell(c.and_then(|g| at(&g.half_kw, &g.rpm))));
        }
        out.write_record(&row)?;
    }
    out.into_inner().map_err(|e| e.into_error().into())
}

pub(crate) async fn csv(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(p): Query<Params>,
) -> Result<Response, WebError> {
    let kept = read(&state, &prefs, &p).await?;
    Ok(file(
        "text/csv; charset=utf-8",
        "line-up.csv",
        table(&kept.0, &prefs).map_err(|e| WebError::Internal(e.to_string()))?,
    ))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_cannot_become_a_formula_in_a_spreadsheet() {
        assert_eq!([plain("=1+1"), plain("C\"3"), plain(" \t@x")], ["'=1+1", "C\"3", "' \t@x"]);
    }

    #[test]
    fn a_picture_has_letters_in_it() {
        let svg = |t: &str| {
            format!(
                r##"<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 40"><text x="5" y="30" font-family="Fraunces, serif" font-size="28" fill="#000">{t}</text></svg>"##
            )
        };
        let (with, without) = (to_png(&svg("gain")).unwrap(), to_png(&svg("")).unwrap());
        assert!(with.starts_with(&[0x89, b'P', b'N', b'G']) && with.len() > without.len() + 300);
    }
}
