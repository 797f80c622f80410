//! A back-catalogue: many days at one go, told apart by the dates in paths, headers and archives.

use super::preview::preview;
use crate::error::WorkflowError;
use chrono::{Datelike, NaiveDate};
use jamjar_formats::csv::read_cells;
use jamjar_formats::finished::{FinishedColumns, read_finished};
use jamjar_formats::{FormatError, Mapping};
use jamjar_store::{NewDay, Store};

/// Lines at the head of a recording that may say when it was made.
const HEAD_LINES: usize = 30;
/// Bytes of them that are looked at.
const HEAD_BYTES: usize = 16 << 10;

/// Dates outside these years are numbers.
fn plausible(y: i32, m: u32, d: u32) -> Option<NaiveDate> {
    NaiveDate::from_ymd_opt(y, m, d).filter(|d| (1990..=2100).contains(&d.year()))
}

/// The last date in a text, as file and folder names and headers carry it: 2026-03-24, 2026_03_24, 20260324, and
/// 24.03.2026 or 24/03/2026 with the day first; month first only where the other cannot be (our choice: said back on
/// the page, where it can be put right).
pub fn date_in(text: &str) -> Option<NaiveDate> {
    let bytes = text.as_bytes();
    let mut groups: Vec<(usize, &str)> = Vec::new();
    let mut i = 0;
    while i < bytes.len() {
        if bytes[i].is_ascii_digit() {
            let from = i;
            while i < bytes.len() && bytes[i].is_ascii_digit() {
                i += 1;
            }
            groups.push((from, &text[from..i]));
        } else {
            i += 1;
        }
    }
    let number = |s: &str| s.parse::<u32>().ok();
    let mut found = None;
    for (k, (at, g)) in groups.iter().enumerate() {
        if g.len() == 8 {
            let ymd = (g[..4].parse().ok(), number(&g[4..6]), number(&g[6..]));
            if let (Some(y), Some(m), Some(d)) = ymd {
                found = plausible(y, m, d).or(found);
            }
        }
        let (Some((at2, b)), Some((at3, c))) = (groups.get(k + 1), groups.get(k + 2)) else { continue };
        let (end1, end2) = (at + g.len(), at2 + b.len());
        let between = [text.get(end1..*at2), text.get(end2..*at3)];
        let [Some(x), Some(y)] = between else { continue };
        if x != y || !matches!(x, "-" | "_" | "." | "/") {
            continue;
        }
        let date = match (g.len(), b.len(), c.len()) {
            (4, 1..=2, 1..=2) => match (g.parse().ok(), number(b), number(c)) {
                (Some(y), Some(m), Some(d)) => plausible(y, m, d),
                _ => None,
            },
            (1..=2, 1..=2, 4) => match (c.parse().ok(), number(b), number(g)) {
                (Some(y), Some(m), Some(d)) => plausible(y, m, d).or_else(|| plausible(y, d, m)),
                _ => None,
            },
            _ => None,
        };
        found = date.or(found);
    }
    found
}

/// The date a recording says itself, in the lines before its numbers.
pub fn date_within(bytes: &[u8]) -> Option<NaiveDate> {
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(HEAD_BYTES)]);
    head.lines().take(HEAD_LINES).find_map(date_in)
}

/// What a file is called on its day: its folders, which often name map and fuel, before its own name; a folder that
/// says the date alone is left out.
pub fn called(path: &str) -> String {
    let parts: Vec<&str> = path.split('/').filter(|p| !p.is_empty()).collect();
    let says_more = |p: &&&str| date_in(p).is_none() || p.chars().filter(|c| c.is_alphabetic()).count() > 2;
    let (name, folders) = parts.split_last().map_or(("", &parts[..0]), |(n, f)| (*n, f));
    // The outermost folder is the catalogue's own.
    let folders = folders.iter().skip(usize::from(folders.len() > 1)).filter(says_more);
    folders.copied().chain(std::iter::once(name)).collect::<Vec<_>>().join(" ")
}

/// Whether a file holds a recording or a finished table.
///
/// # Errors
/// [`FormatError`] that says why it does not.
pub fn readable(bytes: &[u8], name: &str) -> Result<(), FormatError> {
    match preview(bytes, name, &Mapping::default(), None) {
        Ok(_) => Ok(()),
        Err(e) if super::prints::may_be(&e.problem) => {
            let cells = read_cells(bytes, name)?;
            read_finished(&cells, name, &FinishedColumns::default())
                .map(|_| ())
                .map_err(|table| super::prints::better(e, table))
        }
        Err(e) => Err(e),
    }
}

/// The day of a vehicle on a date, made when there is none.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn day_on(
    store: &Store,
    vehicle_id: i64,
    date: NaiveDate,
    place: &str,
) -> Result<i64, WorkflowError> {
    if let Some(id) = store.day_on(vehicle_id, date).await? {
        return Ok(id);
    }
    // Nobody said where: where the vehicle stood last.
    let place = match place {
        "" => {
            store.days_of_vehicle(vehicle_id, 1).await?.pop().map_or_else(|| "cell 1".to_owned(), |d| d.place)
        }
        said => said.to_owned(),
    };
    let new = NewDay {
        vehicle_id,
        date,
        place,
        air: None,
        note: "from the back-catalogue".to_owned(),
        demo: false,
    };
    Ok(store.add_day(&new).await?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dates_are_found_as_people_write_them_in_names() {
        let d = |y, m, d| NaiveDate::from_ymd_opt(y, m, d);
        for (text, want) in [
            ("2025-03-24/stock/p1_dyno.csv", d(2025, 3, 24)),
            ("dyno_20250324_p1.csv", d(2025, 3, 24)),
            ("24.03.2025 stock.csv", d(2025, 3, 24)),
            ("3/4/2025", d(2025, 4, 3)),
            ("03/24/2025", d(2025, 3, 24)),
            ("old 2024-01-02/new 2025_03_24.csv", d(2025, 3, 24)),
            ("c3-e30-p2_dyno.csv", None),
            ("12345678.csv", None),
            ("2025-13-40.csv", None),
            ("1.2.3.csv", None),
            ("", None),
        ] {
            assert_eq!(date_in(text), want, "{text}");
        }
        assert_eq!(date_within(b"# recorded 24.03.2025 09:12\ntime,rpm\n0,1\n"), d(2025, 3, 24));
        assert_eq!(date_within(b"time,rpm\n0,1\n"), None);
    }

    #[test]
    fn folders_that_say_something_stay_in_the_name() {
        assert_eq!(called("shop/2025-03-24/stock 95/p1_dyno.csv"), "stock 95 p1_dyno.csv");
        assert_eq!(called("p1_dyno.csv"), "p1_dyno.csv");
        assert_eq!(called("24.03.2025/p1_dyno.csv"), "p1_dyno.csv");
    }

    #[test]
    fn what_is_no_recording_says_why() {
        assert!(readable(b"buy straps\nand oil\n", "notes.txt").is_err());
        assert!(readable(b"", "empty.csv").is_err());
    }
}
