//! Dropped files before commit: what was found, what is asked, what is offered.

use crate::views::common::{ColumnTable, channels, column_rows, unit_id, units};
use askama::Template;
use jamjar_core::units::Units;
use jamjar_core::words::{finding, unit_doubt};
use jamjar_store::{InboxItem, Role};
use jamjar_workflow::import::{FilePreview, Proposal};

pub(crate) struct FileRow {
    pub(crate) name: String,
    pub(crate) role: &'static str,
    pub(crate) facts: String,
    pub(crate) notes: Vec<String>,
}

pub(crate) struct SourceRow {
    pub(crate) role: &'static str,
    pub(crate) files: usize,
    pub(crate) found: usize,
    pub(crate) columns: ColumnTable,
}

pub(crate) struct QuestionRow {
    pub(crate) source: String,
    pub(crate) column: String,
    pub(crate) channel: String,
    pub(crate) text: String,
    pub(crate) options: Vec<(String, &'static str)>,
}

pub(crate) struct PullRow {
    pub(crate) value: String,
    pub(crate) names: String,
    pub(crate) found: String,
    pub(crate) usable: bool,
}

pub(crate) struct ProposalRow {
    pub(crate) index: usize,
    pub(crate) key: String,
    pub(crate) map: String,
    pub(crate) fuel: String,
    pub(crate) stock: bool,
    pub(crate) pulls: Vec<PullRow>,
}

#[derive(Template, Default)]
#[template(path = "inbox.html")]
pub(crate) struct InboxFragment {
    pub(crate) day_id: i64,
    pub(crate) errors: Vec<String>,
    pub(crate) known: Vec<String>,
    pub(crate) files: Vec<FileRow>,
    pub(crate) sources: Vec<SourceRow>,
    pub(crate) questions: Vec<QuestionRow>,
    pub(crate) proposals: Vec<ProposalRow>,
    pub(crate) maps: Vec<String>,
    pub(crate) fuels: Vec<String>,
    pub(crate) problem: String,
    /// Channels and units to choose from.
    pub(crate) channels: Vec<(String, &'static str)>,
    pub(crate) units: Vec<(String, &'static str)>,
    /// The newest build of the vehicle.
    pub(crate) build: String,
}

fn role_words(r: Role) -> &'static str {
    match r {
        Role::Dyno => "dyno",
        Role::Ecu => "engine computer",
        Role::Unknown => "not recognised",
    }
}

pub(crate) fn inbox_fragment(
    day_id: i64,
    items: &[InboxItem],
    proposals: &[Proposal],
    maps: Vec<String>,
    fuels: Vec<String>,
    build: String,
) -> InboxFragment {
    let mut out = InboxFragment {
        day_id,
        maps,
        fuels,
        channels: channels(),
        units: units(),
        build,
        ..InboxFragment::default()
    };
    let mut seen: Vec<&str> = Vec::new();
    for item in items {
        let Ok(p) = serde_json::from_str::<FilePreview>(&item.report) else { continue };
        let pulls = if p.pulls.len() == 1 { "1 pull".to_owned() } else { format!("{} pulls", p.pulls.len()) };
        out.files.push(FileRow {
            name: item.name.clone(),
            role: role_words(item.role),
            facts: format!("{} rows over {:.1} s, {pulls}", p.rows, p.seconds),
            notes: p.findings.iter().map(|f| finding(f, Units::default())).collect(),
        });
        if seen.contains(&item.source.as_str()) {
            continue;
        }
        seen.push(&item.source);
        out.sources.push(SourceRow {
            role: role_words(item.role),
            files: items.iter().filter(|i| i.source == item.source).count(),
            found: p.columns.iter().filter(|c| c.channel.is_some()).count(),
            columns: ColumnTable {
                action: format!("/days/{day_id}/answers"),
                inbox: true,
                key: item.source.clone(),
                title: format!("Columns of the {}", role_words(item.role)),
                rows: column_rows(&p.columns),
            },
        });
        out.questions.extend(p.questions.iter().map(|q| QuestionRow {
            source: item.source.clone(),
            column: q.column.clone(),
            channel: q.channel.to_string(),
            text: unit_doubt(&q.column, &q.doubt),
            options: q.options.iter().map(|u| (unit_id(*u), u.label())).collect(),
        }));
    }
    out.proposals = proposals
        .iter()
        .enumerate()
        .map(|(index, p)| ProposalRow {
            index,
            key: p.key.clone(),
            map: p.map.clone(),
            fuel: p.fuel.clone(),
            stock: p.map.eq_ignore_ascii_case("stock") || p.key.split(' ').any(|w| w == "stock"),
            pulls: p
                .pulls
                .iter()
                .map(|x| PullRow {
                    value: format!(
                        "{}:{}:{}",
                        x.dyno,
                        x.ecu.map_or_else(String::new, |e| e.to_string()),
                        x.number.map_or_else(String::new, |n| n.to_string())
                    ),
                    names: x.names.clone(),
                    found: x.found.clone(),
                    usable: x.found != "no pull found",
                })
                .collect(),
        })
        .collect();
    out
}
