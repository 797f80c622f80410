//! Reports: asked for from a line-up, issued once, shown, shared, never changed.

use super::lineup::Params;
use super::page;
use super::report_made::{Said, make, own_query, parts, sheet_of};
use crate::auth::{Calibrator, Reader};
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::views::{IssuePage, Letterhead, ReportBar, ReportsPage, Shell, report_rows, with_bar};
use askama::Template;
use axum::Form;
use axum::extract::{Path, Query, RawQuery, State};
use axum::http::StatusCode;
use axum::http::header::{
    CACHE_CONTROL, CONTENT_DISPOSITION, CONTENT_SECURITY_POLICY, CONTENT_TYPE, REFERRER_POLICY,
};
use axum::response::{Html, IntoResponse, Redirect, Response};
use chrono::{Local, NaiveDate};
use jamjar_store::{Report, Shared};
use serde::Deserialize;
use std::collections::HashMap;

/// A sheet may draw itself and nothing else; its bar may send a form.
const POLICY: &str = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:; form-action 'self'; frame-ancestors 'none'; base-uri 'none'";
/// A link lasts at most so many days (our choice: two years).
const LONGEST_DAYS: i64 = 731;
async fn ask_again(
    state: &AppState,
    prefs: &Prefs,
    (p, query): (&Params, &str),
    (supersedes, problem): (String, String),
) -> Result<Html<String>, WebError> {
    let parts = parts(state, prefs, p).await?;
    let about = parts.first().map(|(p, _)| p.line_up.vehicle.id);
    let sheet = sheet_of(Letterhead::default(), &parts, p, prefs)?;
    let all = state.store.reports(about).await?;
    let stands = |r: &&Report| {
        all.iter().all(|x| x.supersedes.as_ref() != Some(&r.number)) && Some(r.vehicle_id) == about
    };
    let words = |r: &Report| format!("{} of {}", r.number, prefs.written.date(r.issued_at.date()));
    page(&IssuePage {
        shell: Shell::new("Issue a report", &prefs.theme, "lineup"),
        answers: vec![sheet.title()],
        query: own_query(query),
        earlier: all.iter().filter(stands).map(|r| (r.number.clone(), words(r))).collect(),
        supersedes,
        shop: state.store.ways().await?.name,
        problem,
    })
}

/// What a report would say, and to whom it goes.
pub(crate) async fn ask(
    _: Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(p): Query<Params>,
    Query(more): Query<HashMap<String, String>>,
    RawQuery(query): RawQuery,
) -> Result<Html<String>, WebError> {
    let supersedes = more.get("supersedes").cloned().unwrap_or_default();
    ask_again(&state, &prefs, (&p, &query.unwrap_or_default()), (supersedes, String::new())).await
}

#[derive(Deserialize, Default)]
#[serde(default)]
pub(crate) struct IssueForm {
    customer: String,
    remarks: String,
    supersedes: String,
    why: String,
}

pub(crate) async fn issue(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(p): Query<Params>,
    RawQuery(query): RawQuery,
    Form(f): Form<IssueForm>,
) -> Result<Response, WebError> {
    let query = own_query(&query.unwrap_or_default());
    let [customer, remarks, supersedes, why] =
        [&f.customer, &f.remarks, &f.supersedes, &f.why].map(|s| s.trim());
    if customer.chars().count() > 200 || remarks.chars().count() > 1500 || why.chars().count() > 500 {
        return Err(WebError::Bad(
            "a field is longer than it may be: 200 characters for whom it is, 1500 of remarks, 500 of why"
                .into(),
        ));
    }
    if !supersedes.is_empty() && why.is_empty() {
        let problem = format!("Say why it takes the place of {supersedes}: it stands on the sheet.");
        let again = ask_again(&state, &prefs, (&p, &query), (supersedes.to_owned(), problem)).await?;
        return Ok((StatusCode::BAD_REQUEST, again).into_response());
    }
    let said = Said { customer, remarks, supersedes, why, ..Said::default() };
    let id = make(&state, &prefs, (&p, &query), &said, &who.by(why)).await?;
    Ok(Redirect::to(&format!("/reports/{id}")).into_response())
}

#[derive(Deserialize)]
pub(crate) struct About {
    about: Option<i64>,
}

pub(crate) async fn list(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Query(q): Query<About>,
) -> Result<Html<String>, WebError> {
    let about = match q.about {
        Some(id) => Some((id, state.store.vehicle(id).await?.vehicle.name)),
        None => None,
    };
    let all = state.store.reports(q.about).await?;
    page(&ReportsPage {
        shell: Shell::new("Reports", &prefs.theme, "reports"),
        rows: report_rows(&all, &prefs),
        about,
    })
}

/// A sheet in a browser, under the policy of sheets.
fn drawn(status: StatusCode, body: String) -> Response {
    let headers = [
        (CONTENT_TYPE, "text/html; charset=utf-8"),
        (CONTENT_SECURITY_POLICY, POLICY),
        (REFERRER_POLICY, "no-referrer"),
    ];
    (status, headers, body).into_response()
}

async fn opened(state: &AppState, prefs: &Prefs, id: i64, fresh: String) -> Result<Response, WebError> {
    let (report, after) = state.store.report(id).await?;
    let sheet = state.store.report_sheet(id).await?;
    let links = state.store.share_links(id).await?;
    let today = Local::now().date_naive();
    let bar = ReportBar::new(&report, after.as_deref(), &links, (today, fresh), prefs).render()?;
    Ok(drawn(StatusCode::OK, with_bar(&sheet, &bar)))
}

pub(crate) async fn show(
    _: Reader,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Response, WebError> {
    opened(&state, &prefs, id, String::new()).await
}

fn download(kind: &'static str, name: String, body: String) -> Response {
    let attachment = format!("attachment; filename=\"{name}\"");
    let headers = [(CONTENT_TYPE, kind.to_owned()), (CONTENT_DISPOSITION, attachment)];
    (headers, [(CONTENT_SECURITY_POLICY, POLICY)], body).into_response()
}

/// The sheet byte for byte as it was issued.
pub(crate) async fn sheet(
    _: Reader,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Response, WebError> {
    let (report, _) = state.store.report(id).await?;
    let body = state.store.report_sheet(id).await?;
    Ok(download("text/html; charset=utf-8", format!("report-{}.html", report.number), body))
}

/// The sheet on paper of a size.
pub(crate) async fn pdf(
    _: Reader,
    State(state): State<AppState>,
    Path((id, paper)): Path<(i64, String)>,
) -> Result<Response, WebError> {
    let (report, _) = state.store.report(id).await?;
    let bytes = state.store.report_print(id, paper.trim_end_matches(".pdf")).await?;
    let name = format!("inline; filename=\"report-{}.pdf\"", report.number);
    let headers = [(CONTENT_TYPE, "application/pdf".to_owned()), (CONTENT_DISPOSITION, name)];
    Ok((headers, bytes).into_response())
}

/// Its own copy of limits and figures.
pub(crate) async fn figures(
    _: Reader,
    State(state): State<AppState>,
    Path(id): Path<i64>,
) -> Result<Response, WebError> {
    let (report, _) = state.store.report(id).await?;
    let body = state.store.report_figures(id).await?;
    Ok(download("application/json", format!("report-{}.json", report.number), body))
}

#[derive(Deserialize)]
pub(crate) struct ShareForm {
    until: String,
}

/// Makes a link, and shows it once.
pub(crate) async fn share(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<ShareForm>,
) -> Result<Response, WebError> {
    let today = Local::now().date_naive();
    let until = NaiveDate::parse_from_str(f.until.trim(), "%Y-%m-%d")
        .map_err(|_| WebError::Bad(format!("“{}” is no date; write it as 2026-12-31", f.until)))?;
    if until < today || (until - today).num_days() > LONGEST_DAYS {
        return Err(WebError::Bad(format!(
            "a link lasts from today to at most {LONGEST_DAYS} days, not until {until}"
        )));
    }
    let mut secret = [0u8; 24];
    getrandom::fill(&mut secret).map_err(|e| WebError::Internal(e.to_string()))?;
    let secret = hex::encode(secret);
    state.store.share_report(id, &secret, until, &who.by("")).await?;
    opened(&state, &prefs, id, format!("/shared/{secret}")).await
}

pub(crate) async fn withdraw(
    _: Calibrator,
    State(state): State<AppState>,
    Path((id, one)): Path<(i64, i64)>,
) -> Result<Redirect, WebError> {
    state.store.withdraw_link(id, one).await?;
    Ok(Redirect::to(&format!("/reports/{id}")))
}

/// Exactly one report, for whoever was given the link, until its day.
pub(crate) async fn shared(
    prefs: Prefs,
    State(state): State<AppState>,
    Path(secret): Path<String>,
) -> Result<Response, WebError> {
    let today = Local::now().date_naive();
    let id = match state.store.shared(&secret, today).await? {
        Some(Shared::Report(id)) => id,
        Some(Shared::Over) => {
            let text = "<!doctype html><html lang=\"en\"><title>This link has ended</title><body><h1>This link has ended</h1><p>Its day has passed, or it was withdrawn. Ask the shop that sent it for another.</p></body></html>";
            return Ok(drawn(StatusCode::GONE, text.to_owned()));
        }
        None => {
            return Err(WebError::NotFound("There is no such link: it may have been copied in part.".into()));
        }
    };
    let (report, after) = state.store.report(id).await?;
    let bar = ReportBar::new(&report, after.as_deref(), &[], (today, String::new()), &prefs).for_guests();
    let body = with_bar(&state.store.report_sheet(id).await?, &bar.render()?);
    let mut response = drawn(StatusCode::OK, body);
    response.headers_mut().insert(CACHE_CONTROL, axum::http::HeaderValue::from_static("no-store"));
    Ok(response)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_report_remembers_the_line_up_it_was_made_from_and_nothing_else() {
        assert_eq!(own_query("sets=1,2&supersedes=2026-001&keep=1&at=4000"), "sets=1%2C2&at=4000");
    }
}
