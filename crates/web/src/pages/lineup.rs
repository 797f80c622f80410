//! The line-up page and its downloads.

use super::{encoding, page, page_key};
use crate::assets::picture_fonts;
use crate::auth::Reader;
use crate::cookies::{keeping, switched_by_hand};
use crate::decimal::with_comma;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::views::{
    Choose, ChooseRow, Encoding, LineUpAsked, LineUpFields, chart_of, lineup_focus, lineup_page,
    lineup_tracks, on_lineup, several_page,
};
use axum::extract::{Query, RawQuery, State};
use axum::http::Uri;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{Html, IntoResponse, Redirect, Response};
use jamjar_chart::{Paint, lineup_svg};
use jamjar_core::analysis::Settings;
use jamjar_store::{Set, Thing};
use jamjar_workflow::keep::Made;
use jamjar_workflow::lineup::{self, Channels, LineUp, line_up};
use jamjar_workflow::report::comparison_json;
use resvg::{tiny_skia, usvg};
use serde::Deserialize;
use std::sync::{Arc, OnceLock};

/// More sets than this nobody chooses from (our choice).
const MOST_ASKED: usize = 400;
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
    #[serde(default)]
    lanes: String,
    #[serde(default)]
    minus: String,
    #[serde(default)]
    columns: String,
    #[serde(default)]
    steps: String,
    /// A step of the form.
    #[serde(default)]
    step_one: String,
    #[serde(default)]
    step_two: String,
    /// Channel read at equal output.
    #[serde(default)]
    equal: String,
}

impl Params {
    pub(super) fn asked(&self) -> Result<LineUpAsked, WebError> {
        let Self { view, band, at, across, along, lanes, columns, equal, .. } = self;
        let said = [self.step_one.trim(), self.step_two.trim()];
        // A form says its two steps in fields of their own.
        let form = said.iter().all(|s| !s.is_empty()).then(|| said.join(","));
        let steps = form.as_deref().unwrap_or(&self.steps);
        let minus = self.minus == "1";
        let fields = LineUpFields {
            focus: self.focus,
            view,
            band,
            at,
            across,
            along,
            lanes,
            minus,
            columns,
            steps,
            equal,
        };
        LineUpAsked::read(&fields).map_err(WebError::Bad)
    }
}

/// The line-up asked for, kept while the figures of its days and its vehicle stay as they are.
pub(super) async fn read(
    state: &AppState,
    prefs: &Prefs,
    p: &Params,
) -> Result<Arc<(LineUp, Encoding)>, WebError> {
    let ids = ids_of(p);
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

/// Sets asked for, each once.
pub(super) fn asked_for(p: &Params) -> Vec<i64> {
    once(p.sets.split(',').filter_map(|s| s.trim().parse().ok()).take(MOST_ASKED))
}

fn once(ids: impl Iterator<Item = i64>) -> Vec<i64> {
    let mut seen = std::collections::HashSet::new();
    ids.filter(|i| seen.insert(*i)).collect()
}

/// Of the sets asked for those that are drawn: as many as can be read over each other, the baseline among them.
fn ids_of(p: &Params) -> Vec<i64> {
    let all = asked_for(p);
    let base = p.base.filter(|b| all.contains(b));
    let mut ids: Vec<i64> = all.iter().copied().take(lineup::MAX_SETS).collect();
    if let Some(b) = base.filter(|b| !ids.contains(b)) {
        ids.pop();
        ids.insert(0, b);
    }
    ids
}

/// What may be chosen, where more was asked for than is drawn.
async fn choose(state: &AppState, prefs: &Prefs, p: &Params, l: &LineUp) -> Result<Option<Choose>, WebError> {
    let (all, drawn) = (asked_for(p), ids_of(p));
    if all.len() == drawn.len() {
        return Ok(None);
    }
    let row = |s: &Set| {
        let c = &s.config;
        let rest: Vec<&str> =
            [&c.boost, &c.gear].into_iter().map(String::as_str).filter(|v| !v.is_empty()).collect();
        let rest = if rest.is_empty() { String::new() } else { format!(", {}", rest.join(", ")) };
        ChooseRow {
            id: s.id,
            words: format!("{} on {}{rest}, {}", c.map, c.fuel, prefs.written.date(s.date)),
            on: drawn.contains(&s.id),
        }
    };
    Ok(Some(Choose {
        line: format!("{} of {} drawn: choose", drawn.len(), all.len()),
        base: l.sets[l.base].set.id,
        rows: state.store.sets_alone(&all).await?.iter().map(row).collect(),
    }))
}

/// Sets that were ticked, as the address of their line-up: the first is the baseline unless another was said.
pub(crate) async fn chosen(_: Reader, RawQuery(query): RawQuery) -> Redirect {
    let query = query.unwrap_or_default();
    let said = |name: &'static str| {
        form_urlencoded::parse(query.as_bytes()).filter(move |p| p.0 == name).filter_map(|p| p.1.parse().ok())
    };
    let ids = once(said("set").take(MOST_ASKED));
    let base = said("base").find(|b: &i64| ids.contains(b));
    let joined = ids.iter().map(i64::to_string).collect::<Vec<_>>().join(",");
    let base = base.map_or_else(String::new, |b| format!("&base={b}"));
    Redirect::to(&format!("/line-up?sets={joined}{base}"))
}

/// The channels of a line-up, where lanes of them or one at equal output are asked for: kept as long as it is.
pub(super) async fn channels(state: &AppState, p: &Params, l: &LineUp) -> Result<Arc<Channels>, WebError> {
    let asked = p.asked()?;
    if asked.lanes.is_empty() && asked.equal.is_empty() {
        return Ok(Arc::default());
    }
    let since = state.fresh.look(&state.store).await?;
    let key = format!("{:?} {:?}", ids_of(p), l.settings.grid_rpm);
    let made = || async {
        let value = lineup::channels(&state.store, l).await?;
        Ok::<_, WebError>(Made { rests_on: rests_on(l), weight: value.weight(), lasts: true, value })
    };
    state.channels.get_or_make(key, &state.fresh, since, made).await
}

/// Bytes a measured pull takes in memory, about.
const PULL_WEIGHT: usize = 64 << 10;

fn rests_on(l: &LineUp) -> Vec<Thing> {
    let days = l.sets.iter().map(|s| s.set.day_id).chain(l.habit_days.iter().copied());
    let mut out: Vec<Thing> = days.map(Thing::Figures).collect();
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
    if let Some(clean) = switched_by_hand(&uri) {
        return Ok((keeping([prefs.cookie()]), Redirect::to(&clean)).into_response());
    }
    let made = || async {
        let vehicles = lineup::by_vehicle(&state.store, &ids_of(&p)).await?;
        if vehicles.len() > 1 {
            return beside_each_other(&state, &prefs, &p, &vehicles).await;
        }
        let kept = read(&state, &prefs, &p).await?;
        let (l, e) = &*kept;
        let channels = channels(&state, &p, l).await?;
        let mut out = lineup_page(l, e, &prefs, &p.asked()?, &channels);
        out.choose = choose(&state, &prefs, &p, l).await?;
        Ok(PageMade { body: page(&out)?.0, rests_on: rests_on(l), lasts: true })
    };
    let body = state.page(page_key(&uri, &prefs), made).await?;
    Ok(Html(body).into_response())
}

/// Several vehicles, each against its own baseline.
async fn beside_each_other(
    state: &AppState,
    prefs: &Prefs,
    p: &Params,
    vehicles: &[Vec<Set>],
) -> Result<PageMade, WebError> {
    let asked = p.asked()?;
    let settings = Settings { at_rpm: asked.at, ..prefs.settings(asked.band) };
    let mut all = Vec::new();
    for l in lineup::several(&state.store, vehicles, &settings).await? {
        let e = encoding(state, l.vehicle.id).await?;
        all.push((l, e));
    }
    let rests_on = all.iter().flat_map(|(l, _)| rests_on(l)).collect();
    Ok(PageMade { body: page(&several_page(&all, prefs))?.0, rests_on, lasts: true })
}

pub(super) fn file(kind: &'static str, name: &str, body: impl IntoResponse) -> Response {
    (
        [(CONTENT_TYPE, kind.to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\""))],
        body,
    )
        .into_response()
}

/// The chart by itself, in the colours of paper.
async fn picture(
    state: &AppState,
    prefs: &Prefs,
    p: &Params,
    l: &LineUp,
    e: &Encoding,
) -> Result<String, WebError> {
    let prefs = &on_lineup(prefs, l);
    let focus = lineup_focus(l, p.focus, prefs.shown.leads());
    let tracks = lineup_tracks(l, &*channels(state, p, l).await?, &p.asked()?, prefs);
    Ok(lineup_svg(&chart_of(l, e, prefs, focus, tracks), Paint::Light))
}

pub(crate) async fn svg(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(p): Query<Params>,
) -> Result<Response, WebError> {
    let kept = read(&state, &prefs, &p).await?;
    let (l, e) = &*kept;
    let picture = picture(&state, &prefs, &p, l, e).await?;
    Ok(file("image/svg+xml", "line-up.svg", picture))
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

/// Reads a picture of ours with the fonts it is set in.
pub(crate) fn picture_of(svg: &str) -> Result<usvg::Tree, WebError> {
    let options = usvg::Options {
        fontdb: fonts(),
        font_family: "Atkinson Hyperlegible Next".into(),
        ..usvg::Options::default()
    };
    usvg::Tree::from_str(svg, &options)
        .map_err(|e| WebError::Internal(format!("the picture cannot be drawn: {e}")))
}

/// Draws an SVG as PNG.
fn to_png(svg: &str) -> Result<Vec<u8>, WebError> {
    let broken = |e: String| WebError::Internal(format!("the picture cannot be drawn: {e}"));
    let tree = picture_of(svg)?;
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
    let mut svg = picture(&state, &prefs, &p, l, e).await?;
    if prefs.written.decimal_comma {
        svg = with_comma(&svg);
    }
    let png = tokio::task::spawn_blocking(move || to_png(&svg))
        .await
        .map_err(|e| WebError::Internal(e.to_string()))??;
    Ok(file("image/png", "line-up.png", png))
}

/// The comparison as documented JSON: what a job of the same recordings prints.
pub(crate) async fn json(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(p): Query<Params>,
) -> Result<Response, WebError> {
    let kept = read(&state, &prefs, &p).await?;
    Ok(file("application/json", "comparison.json", comparison_json(&kept.0).to_string()))
}
