//! Calibration tables in open forms: our text form, which is the canonical one, JSON, and CSV. Each is read back as the
//! same map.

mod csv;
mod json;
mod text;

pub use csv::{read_map_csv, write_map_csv};
pub use json::{read_map_json, write_map_json};
pub use text::{MAP_VERSION, read_map, write_map};

use crate::error::FormatError;
use jamjar_core::maps::MapFile;

/// A form in which tables are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TableForm {
    /// The open text form.
    Text,
    /// One JSON object.
    Json,
    /// One CSV of blocks.
    Csv,
}

impl TableForm {
    /// Every form.
    pub const ALL: [Self; 3] = [Self::Text, Self::Json, Self::Csv];

    /// The end of a file's name in it.
    pub fn suffix(self) -> &'static str {
        match self {
            Self::Text => "map",
            Self::Json => "json",
            Self::Csv => "csv",
        }
    }

    /// The form of a suffix.
    pub fn named(suffix: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|f| f.suffix() == suffix)
    }

    /// The form a text is in, by how it begins; `None` for something else.
    pub fn of(text: &str) -> Option<Self> {
        let begins = text.trim_start_matches('\u{feff}').trim_start();
        if begins.starts_with("jamjar map") {
            Some(Self::Text)
        } else if begins.starts_with('{') && begins.contains("jamjar_map") {
            Some(Self::Json)
        } else if csv::is_ours(begins) {
            Some(Self::Csv)
        } else {
            None
        }
    }

    /// Writes a map.
    pub fn write(self, map: &MapFile) -> String {
        match self {
            Self::Text => write_map(map),
            Self::Json => write_map_json(map),
            Self::Csv => write_map_csv(map),
        }
    }

    /// Reads a map.
    ///
    /// # Errors
    /// [`FormatError`] with the place of the first fault.
    pub fn read(self, text: &str, file: &str) -> Result<MapFile, FormatError> {
        match self {
            Self::Text => read_map(text, file),
            Self::Json => read_map_json(text, file),
            Self::Csv => read_map_csv(text, file),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jamjar_core::maps::{Axis, Scalar, Table};
    use proptest::prelude::*;

    fn table(name: &str, curve: bool, cells: &[f64]) -> Table {
        let axis = |channel: &str, unit: &str, at: &[f64]| Axis {
            channel: channel.into(),
            unit: unit.into(),
            at: at.to_vec(),
        };
        let rows: Vec<Vec<f64>> =
            if curve { vec![cells[..3].to_vec()] } else { vec![cells[..3].to_vec(), cells[3..6].to_vec()] };
        Table {
            name: name.into(),
            unit: "° before TDC".into(),
            x: axis("engine_speed", "rpm", &[1000.0, 2500.5, 6000.0]),
            y: (!curve).then(|| axis("manifold_pressure", "kPa", &[100.0, 250.0])),
            rows,
        }
    }

    fn map(cells: &[f64], note: &str) -> MapFile {
        MapFile {
            name: "C3".into(),
            kind: "custom".into(),
            revision_of: Some("C2".into()),
            for_fuel: None,
            note: (!note.trim().is_empty()).then(|| note.trim().to_owned()),
            scalars: [("rev_limit".to_owned(), Scalar { value: 6800.0, unit: "rpm".into() })].into(),
            tables: vec![table("spark_advance", false, cells), table("lambda_target", true, cells)],
        }
    }

    proptest! {
        /// Any form gives back what was written, and says which form it is.
        #[test]
        fn there_and_back_in_every_form(
            cells in prop::collection::vec(-1e4..1e4f64, 6),
            note in "[ -~äλ°]{0,40}",
        ) {
            // A text form has no `#` within a note: there it begins a comment.
            let m = map(&cells, &note.replace('#', ""));
            for form in TableForm::ALL {
                let text = form.write(&m);
                prop_assert_eq!(TableForm::of(&text), Some(form));
                prop_assert_eq!(&form.read(&text, "x").unwrap(), &m, "{}", text);
            }
        }

        /// Whatever stands in a file, it is read or refused, with its name in front.
        #[test]
        fn nothing_breaks_a_reader(text in "\\PC{0,300}", at in 0usize..400) {
            let good = TableForm::Csv.write(&map(&[1.0, 2.0, 3.0, 4.0, 5.0, 6.0], "n"));
            let cut: String = good.chars().take(at).chain(text.chars()).collect();
            for form in TableForm::ALL {
                if let Err(e) = form.read(&cut, "cut.file") {
                    prop_assert!(e.to_string().starts_with("cut.file"), "{}", e);
                }
            }
        }
    }

    #[test]
    fn a_recording_is_no_map() {
        assert_eq!(TableForm::of("time,engine_speed\n0,1000\n"), None);
        assert_eq!(TableForm::of("{\"jamjar_job\": 1}"), None);
    }
}
