//! Around the sheets: the form that issues one, the list of those that were, the bar above an opened one.

use crate::prefs::Prefs;
use crate::views::Shell;
use askama::Template;
use jamjar_core::words::{superseded_sentence, supersedes_sentence};
use jamjar_store::{Report, ShareLink};

/// What the form shows before a sheet is issued.
#[derive(Template)]
#[template(path = "report_new.html")]
pub(crate) struct IssuePage {
    pub(crate) shell: Shell,
    /// The answer it will give, vehicle by vehicle.
    pub(crate) answers: Vec<String>,
    /// The line-up it is made from.
    pub(crate) query: String,
    /// Reports whose place it may take: number and words.
    pub(crate) earlier: Vec<(String, String)>,
    /// The one chosen in the link.
    pub(crate) supersedes: String,
    pub(crate) shop: String,
    pub(crate) problem: String,
}

/// An issued report in a list.
pub(crate) struct ReportRow {
    pub(crate) id: i64,
    pub(crate) number: String,
    pub(crate) title: String,
    pub(crate) issued: String,
    /// Blank where it stands.
    pub(crate) superseded: String,
}

#[derive(Template)]
#[template(path = "reports.html")]
pub(crate) struct ReportsPage {
    pub(crate) shell: Shell,
    /// The vehicle they are about, when it was asked for one.
    pub(crate) about: Option<(i64, String)>,
    pub(crate) rows: Vec<ReportRow>,
}

/// A row for each; which of them were superseded stands in the list itself.
pub(crate) fn report_rows(all: &[Report], prefs: &Prefs) -> Vec<ReportRow> {
    let after = |r: &Report| {
        let next =
            all.iter().find(|x| x.supersedes.as_ref() == Some(&r.number) && x.vehicle_id == r.vehicle_id);
        next.map_or_else(String::new, |x| superseded_sentence(&x.number))
    };
    let row = |r: &Report| ReportRow {
        id: r.id,
        number: r.number.clone(),
        title: r.title.clone(),
        issued: format!("{}, {}", prefs.written.date(r.issued_at.date()), r.issued_by),
        superseded: after(r),
    };
    all.iter().map(row).collect()
}

/// A link that was made of a report.
pub(crate) struct LinkRow {
    pub(crate) id: i64,
    pub(crate) words: String,
    pub(crate) open: bool,
}

/// What stands above an opened sheet, and not on paper.
#[derive(Template)]
#[template(path = "report_bar.html")]
pub(crate) struct ReportBar {
    id: i64,
    number: String,
    vehicle_id: i64,
    vehicle: String,
    hash: String,
    issued: String,
    superseded: String,
    supersedes: String,
    again: String,
    until: String,
    links: Vec<LinkRow>,
    /// A link that was just made: shown once.
    fresh: String,
    /// Seen through a link: nothing to do but read.
    shared: bool,
}

impl ReportBar {
    pub(crate) fn new(
        r: &Report,
        after: Option<&str>,
        links: &[ShareLink],
        (today, fresh): (chrono::NaiveDate, String),
        prefs: &Prefs,
    ) -> Self {
        let link = |l: &ShareLink| {
            let open = l.withdrawn_at.is_none() && today <= l.until;
            let state = match (l.withdrawn_at, open) {
                (Some(_), _) => "withdrawn".to_owned(),
                (None, true) => format!("shows it until {}", prefs.written.date(l.until)),
                (None, false) => format!("its day, {}, has passed", prefs.written.date(l.until)),
            };
            LinkRow { id: l.id, words: format!("made by {}: {state}", l.made_by), open }
        };
        Self {
            id: r.id,
            number: r.number.clone(),
            vehicle_id: r.vehicle_id,
            vehicle: r.vehicle.clone(),
            hash: r.sheet_sha.clone(),
            issued: format!("{}, {}", prefs.written.date(r.issued_at.date()), r.issued_by),
            superseded: after.map_or_else(String::new, superseded_sentence),
            supersedes: r.supersedes.as_ref().map_or_else(String::new, |n| supersedes_sentence(n, &r.why)),
            again: format!("/reports/new?{}&supersedes={}", r.asked, r.number),
            until: (today + chrono::Days::new(30)).to_string(),
            links: links.iter().map(link).collect(),
            fresh,
            shared: false,
        }
    }

    /// As it stands above a sheet that is seen through a link.
    pub(crate) fn for_guests(self) -> Self {
        Self { shared: true, links: Vec::new(), ..self }
    }
}

/// A sheet with a bar above it; what was issued stands unchanged below.
pub(crate) fn with_bar(sheet: &str, bar: &str) -> String {
    match sheet.split_once("<body>") {
        Some((head, body)) => format!("{head}<body>{bar}{body}"),
        None => format!("{bar}{sheet}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_sheet_stands_unchanged_below_its_bar() {
        assert_eq!(
            with_bar("<html><body><h1>x</h1></body>", "<b>bar</b>"),
            "<html><body><b>bar</b><h1>x</h1></body>"
        );
    }
}
