//! Tables of several blocks: read by all threads, and the same as record by record.

use super::{RawTable, read_table};
use crate::error::FormatError;

fn read(text: &str) -> Result<RawTable, FormatError> {
    read_table(text.as_bytes(), "large.csv", |d| {
        Ok((0..d.headers.len()).map(|i| (i, d.headers[i] == "Time")).collect())
    })
}

/// Rows as loggers write them: blanks, signs, exponents, spaces, remarks, empty lines.
fn rows(n: usize) -> Vec<String> {
    let odd = |i: usize| match i % 97 {
        3 => String::new(),
        5 => "1e-3".into(),
        7 => " 12.5 ".into(),
        11 => format!("{}.123456789012345678", i),
        13 => "-0.0".into(),
        _ => format!("{:.3}", (i * 7919 % 1_000_003) as f64 / 77.0 - 5000.0),
    };
    let row = |i: usize| match i {
        i if i % 1009 == 0 => "# a remark".into(),
        i if i % 2003 == 0 => String::new(),
        i => format!("{}.{:02},{},{},{}", i / 100, i % 100, odd(i), odd(i + 1), odd(i * 3)),
    };
    (1..n).map(row).collect()
}

fn bits(t: &RawTable) -> Vec<Vec<u64>> {
    t.columns.iter().map(|(_, v)| v.iter().map(|v| v.to_bits()).collect()).collect()
}

#[test]
fn blocks_read_at_once_are_what_record_after_record_gives() {
    let rows = rows(90_000);
    for end in ["\n", "\r\n"] {
        let plain = format!("Time,a,b,c{end}{}{end}", rows.join(end));
        assert!(plain.len() > 5 * (1 << 19), "several blocks: {}", plain.len());
        let quoted = plain.replacen("0.02,", "\"0.02\",", 1);
        let late = plain.replacen("800.00,", "\"800.00\",", 1);
        let (plain, quoted, late) = (read(&plain).unwrap(), read(&quoted).unwrap(), read(&late).unwrap());
        assert!(plain.lines.len() > 89_000 && plain.lines[0] == 2, "{}", plain.lines.len());
        let stand =
            |(i, row): (usize, &String)| (!row.is_empty() && !row.starts_with('#')).then_some(i as u32 + 2);
        assert!(
            plain.lines == rows.iter().enumerate().filter_map(stand).collect::<Vec<_>>(),
            "lines are the file's"
        );
        for other in [&quoted, &late] {
            assert!(bits(&plain) == bits(other), "the same numbers to the last bit");
        }
    }
}

#[test]
fn a_fault_far_into_a_file_is_told_by_its_own_line_and_field() {
    let mut rows = rows(90_000);
    rows[80_000] = "800.01,1,2,often".into();
    let e = read(&format!("Time,a,b,c\n{}\n", rows.join("\n"))).unwrap_err().to_string();
    assert_eq!(e, "large.csv:80002:4: “often” is not a number in column “c”");
    rows[70_000] = "700.01,1,2".into();
    let e = read(&format!("Time,a,b,c\n{}\n", rows.join("\n"))).unwrap_err().to_string();
    assert!(e.starts_with("large.csv:70002:3: 3 fields, but the header has 4"), "{e}");
    rows.truncate(70_001);
    for end in ["", "\n", "\n\n\r\n"] {
        let cut = read(&format!("Time,a,b,c\n{}{end}", rows.join("\n"))).unwrap();
        assert!(cut.truncated && cut.lines.last() == Some(&70_001), "{end:?}: {:?}", cut.lines.last());
    }
}
