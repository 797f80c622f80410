//! The page of one pull, and what a person decides there.

use super::pulls::Note;
use super::{encoding, page, page_key};
use crate::auth::{Calibrator, Reader};
use crate::cookies::{keeping, lasting, switched_by_hand};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::{AppState, PageMade};
use crate::views::{
    Asked, Encoding, FigureAsked, attached_rows, evidence_view, lane_ids, pull_page, to_learn,
};
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::Uri;
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum_extra::extract::CookieJar;
use axum_extra::extract::cookie::Cookie;
use jamjar_core::analysis::Settings;
use jamjar_core::figures::Looks;
use jamjar_core::units::typed;
use jamjar_store::{Attached, Subject, Thing};
use jamjar_workflow::evidence::evidence;
use jamjar_workflow::fresh::Moment;
use jamjar_workflow::keep::Made;
use jamjar_workflow::reading::{OnDay, Reading, read_pull};
use jamjar_workflow::remeasure::{DayChange, change_day};
use serde::Deserialize;
use std::sync::Arc;
use tokio::sync::OnceCell;

#[derive(Deserialize)]
pub(crate) struct Params {
    #[serde(default)]
    axis: String,
    lanes: Option<String>,
    #[serde(default)]
    from: String,
    #[serde(default)]
    to: String,
    #[serde(default)]
    figure: String,
    #[serde(default)]
    read: String,
    #[serde(default)]
    back: String,
    #[serde(default)]
    beside: String,
}

/// What the names of cookies with chosen lanes begin with.
const LANES: &str = "jj_lanes_";

/// Lanes chosen for any vehicle, in the order of their cookies' names.
fn chosen_lanes(cookies: &CookieJar) -> Vec<(&str, &str)> {
    let mut out: Vec<_> =
        cookies.iter().filter(|c| c.name().starts_with(LANES)).map(Cookie::name_value).collect();
    out.sort_unstable();
    out
}

/// Lanes last chosen for a vehicle.
fn kept_lanes(cookies: &CookieJar, vehicle_id: i64) -> String {
    cookies.get(&format!("{LANES}{vehicle_id}")).map_or_else(String::new, |c| c.value().replace('.', ","))
}

fn zoom(p: &Params) -> Result<Option<[f64; 2]>, WebError> {
    if p.from.trim().is_empty() && p.to.trim().is_empty() {
        return Ok(None);
    }
    match (typed(&p.from), typed(&p.to)) {
        (Some(a), Some(b)) if b > a && a.abs() < 1e6 && b.abs() < 1e6 => Ok(Some([a, b])),
        _ => Err(WebError::Bad(format!(
            "“{}” to “{}” is no stretch of the axis: give two numbers, the lower first",
            p.from, p.to
        ))),
    }
}

/// The pull laid beside another: the one asked for, none, or the usual one.
async fn beside_of(looked: &Looked<'_>, asked: &str, id: i64) -> Result<Option<i64>, WebError> {
    match asked {
        "" => Ok(looked.day(id).await?.usual_beside(id)),
        "none" => Ok(None),
        other => match other.parse() {
            Ok(other) => Ok(Some(other).filter(|other| *other != id)),
            Err(_) => Err(WebError::Bad(format!("“{other}” is no pull: choose one beside this"))),
        },
    }
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Query(p): Query<Params>,
    cookies: CookieJar,
    uri: Uri,
) -> Result<Response, WebError> {
    let zoom = zoom(&p)?;
    let settings = prefs.settings(None);
    if let Some(clean) = switched_by_hand(&uri) {
        let mut kept = vec![prefs.cookie()];
        if let Some(asked) = &p.lanes {
            let vehicle = Looked::at(&state).await?.pull(id, &settings).await?.0.vehicle.id;
            kept.push(lasting(format!("{LANES}{vehicle}"), lane_ids(asked).join("."), "/pulls"));
        }
        return Ok((keeping(kept), Redirect::to(&clean)).into_response());
    }
    let key = format!("{} {:?}", page_key(&uri, &prefs), chosen_lanes(&cookies));
    let made = || async {
        let looked = Looked::at(&state).await?;
        // Both are read at the same time, from one reading of their day, and what was written of the pull beside them.
        let beside = async {
            match beside_of(&looked, &p.beside, id).await? {
                Some(other) => Ok(Some(looked.pull(other, &settings).await?)),
                None => Ok::<_, WebError>(None),
            }
        };
        let written = async {
            let (note, observed) = (state.store.note_of_pull(id), state.store.observed_in(id));
            Ok(tokio::try_join!(note, observed, state.store.attached(Attached::Pull(id)))?)
        };
        let (kept, beside, (note, observed, attached)) =
            tokio::try_join!(looked.pull(id, &settings), beside, written)?;
        let (r, e) = &*kept;
        let lanes = p.lanes.clone().unwrap_or_else(|| kept_lanes(&cookies, r.vehicle.id));
        let looks = Looks { driven: r.vehicle.sheet.driven, ..Looks::default() };
        let evidence = match FigureAsked::new(&p.figure, &p.read, &p.back, looks) {
            Some(asked) => {
                let all = evidence(&state.store, r, asked.figure, &asked.looks, &settings).await?;
                Some(evidence_view(&asked, &all, id, &prefs))
            }
            None => None,
        };
        let mut threads = state.store.threads(Some(r.vehicle.id)).await?;
        let remarks = if threads.is_empty() {
            Vec::new()
        } else {
            let recording = state.store.file(r.pull.dyno_file_id).await?.sha256;
            state.store.remarks_on(r.vehicle.id, &recording).await?
        };
        threads.retain(|t| t.closed_at.is_none());
        let asked = Asked {
            axis: p.axis.clone(),
            zoom,
            lanes,
            beside: p.beside.clone(),
            evidence,
            note,
            observed,
            remarks,
            threads,
        };
        let mut view = pull_page(r, e, &prefs, asked, beside.as_ref().map(|b| &b.0));
        view.attached = attached_rows(&attached, &prefs.written, |_| String::new());
        let mut rests_on = vec![Thing::Day(r.day.id), Thing::Vehicle(r.vehicle.id), Thing::Names];
        rests_on.extend(beside.iter().map(|b| Thing::Day(b.0.day.id)));
        Ok(PageMade { body: page(&view)?.0, rests_on, lasts: true })
    };
    let body = match state.page(key, made).await {
        Err(WebError::NotFound(_)) if state.store.is_archived(Subject::Pull(id)).await.unwrap_or(false) => {
            return Ok(Redirect::to(&format!("/pulls/{id}/edit")).into_response());
        }
        other => other?,
    };
    Ok(Html(body).into_response())
}

/// One look at pulls: what is read for it is as new as the moment it began.
struct Looked<'a> {
    state: &'a AppState,
    since: Moment,
    day: OnceCell<OnDay>,
}

impl<'a> Looked<'a> {
    async fn at(state: &'a AppState) -> Result<Self, WebError> {
        Ok(Self { state, since: state.fresh.look(&state.store).await?, day: OnceCell::new() })
    }

    /// The day of the first pull that is asked for.
    async fn day(&self, pull_id: i64) -> Result<&OnDay, WebError> {
        Ok(self.day.get_or_try_init(|| OnDay::of(&self.state.store, pull_id)).await?)
    }

    /// The pull read under some settings, kept while what it rests on stays as it is.
    async fn pull(&self, id: i64, settings: &Settings) -> Result<Arc<(Reading, Encoding)>, WebError> {
        let state = self.state;
        let made = || async {
            let samples = async { Ok::<_, WebError>(state.store.samples(id).await?) };
            let (mut day, samples) = tokio::try_join!(self.day(id), samples)?;
            let own;
            if !day.holds(id) {
                own = OnDay::of(&state.store, id).await?;
                day = &own;
            }
            let read = async { Ok::<_, WebError>(read_pull(day, id, samples, settings).await?) };
            let (r, e) = tokio::try_join!(read, encoding(state, day.vehicle_id()))?;
            let rests_on = vec![Thing::Figures(r.day.id), Thing::Vehicle(r.vehicle.id), Thing::Names];
            Ok(Made { rests_on, weight: r.weight(), lasts: true, value: (r, e) })
        };
        state.readings.get_or_make((id, format!("{settings:?}")), &state.fresh, self.since, made).await
    }
}

#[derive(Deserialize)]
pub(crate) struct Lag {
    #[serde(default)]
    lag: String,
}

/// Anchors the clocks by hand, or leaves them to be found when blank.
pub(crate) async fn lag(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Lag>,
) -> Result<Redirect, WebError> {
    let lag = if f.lag.trim().is_empty() {
        None
    } else {
        Some(typed(&f.lag).filter(|v| v.abs() < 1e7).ok_or_else(|| {
            WebError::Bad(format!("“{}” is not a lag in seconds, such as -12.35", f.lag.trim()))
        })?)
    };
    let set = state.store.set(state.store.set_of_pull(id).await?).await?;
    change_day(&state.store, set.day_id, &DayChange::Lag { pull_id: id, lag_s: lag }, |_| true, &who.by(""))
        .await?;
    Ok(Redirect::to(&format!("/pulls/{id}#clocks")))
}

pub(crate) async fn note(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Note>,
) -> Result<Redirect, WebError> {
    state.store.note_pull(id, f.text()?, f.was(), &who.by("")).await?;
    Ok(Redirect::to(&format!("/pulls/{id}#note")))
}

/// The ratio a pull shows becomes that of its set's gear.
pub(crate) async fn learn(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Response, WebError> {
    let kept = Looked::at(&state).await?.pull(id, &Settings::default()).await?;
    let r = &kept.0;
    let Some((gear, ratio)) = to_learn(r) else {
        return Err(WebError::Bad("this pull shows no ratio of a gear that is not known already".into()));
    };
    let vehicle = state.store.vehicle(r.vehicle.id).await?;
    let mut sheet = vehicle.sheet.clone();
    sheet.learned.insert(gear, ratio);
    sheet.validate().map_err(|e| WebError::Bad(e.to_string()))?;
    state.store.set_sheet(vehicle.id, &sheet, Some(vehicle.version), &who.by("learned from a pull")).await?;
    Ok(Redirect::to(&format!("/pulls/{id}")).into_response())
}
