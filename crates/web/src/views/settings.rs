//! Settings of the shop.

use super::common::{Choice, Setting};
use super::{PutAway, RunFragment, Shell};
use askama::Template;
use jamjar_core::correction::Correction;
use jamjar_formats::{Mapping, Rule};
use jamjar_store::CellRecord;

#[derive(Template)]
#[template(path = "settings.html")]
pub(crate) struct SettingsPage {
    pub(crate) shell: Shell,
    pub(crate) shop_name: String,
    pub(crate) shop_line: String,
    /// Its mark as a data address.
    pub(crate) mark: String,
    pub(crate) demo: bool,
    pub(crate) run: Option<RunFragment>,
    pub(crate) kept: String,
    pub(crate) person: String,
    /// Families for spark and for compression ignition: id, words, chosen.
    pub(crate) spark: Vec<Choice>,
    pub(crate) diesel: Vec<Choice>,
    /// Units of the shop.
    pub(crate) units: Vec<Setting>,
    pub(crate) dates: Vec<Choice>,
    pub(crate) decimals: Vec<Choice>,
    pub(crate) currency: String,
    pub(crate) cells: Vec<CellRecord>,
    /// Ids and names.
    pub(crate) fuels: Vec<(i64, String)>,
    pub(crate) archived: Vec<PutAway>,
    pub(crate) sources: Vec<SourceLine>,
    pub(crate) version: &'static str,
    pub(crate) algorithm: u32,
}

/// What is remembered of a recorder.
pub(crate) struct SourceLine {
    pub(crate) id: String,
    pub(crate) words: String,
}

/// Correction families, one of them chosen.
pub(crate) fn families(chosen: Correction) -> Vec<Choice> {
    Correction::ALL
        .iter()
        .map(|c| Choice { id: c.id().to_owned(), label: c.label().to_owned(), on: *c == chosen })
        .collect()
}

/// Remembered sources, by what was said of their columns; those of which nothing was said are left out.
pub(crate) fn source_rows(all: &[(String, String)]) -> Vec<SourceLine> {
    all.iter()
        .filter_map(|(id, mapping)| Some(SourceLine { id: id.clone(), words: said(mapping)? }))
        .collect()
}

fn said(mapping: &str) -> Option<String> {
    let m: Mapping = serde_json::from_str(mapping).ok()?;
    let rule = |r: &Rule| match r.unit {
        Some(u) => format!("“{}” is {} in {}", r.column, r.channel.label(), u.label()),
        None => format!("“{}” is {}", r.column, r.channel.label()),
    };
    let mut parts: Vec<String> = m.rules.iter().map(rule).collect();
    parts.extend(m.unused.iter().map(|c| format!("“{c}” is not used")));
    (!parts.is_empty()).then(|| parts.join("; "))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_said_of_columns_is_said_back_and_what_cannot_be_read_is_left_out() {
        let kept = r#"{"rules": [{"channel": "lambda_1", "column": "WB1", "unit": "afr_gasoline"}], "unused": ["Aux"], "ambient_kpa": null}"#;
        let rows = source_rows(&[
            ("ab12".into(), kept.into()),
            ("cd34".into(), r#"{"rules": [], "ambient_kpa": null}"#.into()),
            ("ef56".into(), "?".into()),
        ]);
        assert_eq!(rows.len(), 1);
        assert!(
            rows[0].words.starts_with("“WB1” is λ 1 in AFR") && rows[0].words.ends_with("“Aux” is not used"),
            "{}",
            rows[0].words
        );
    }
}
