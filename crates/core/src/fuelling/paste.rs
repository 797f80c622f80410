//! Tables as people paste them: numbers in rows, tabs or blanks between them, with or without axes.

use crate::maps::{Axis, Table, TableError};
use crate::units::typed;

/// Longest side of a pasted table.
const LONGEST: usize = 256;

/// Reads a table: the first row may be the axis along it and the first column the axis down.
///
/// Which it is shows by the corner: a blank or a word there means both axes stand beside the values; so does a first
/// row that is one number shorter than the others. Without axes the places given are taken.
///
/// # Errors
/// [`TableError`] with the line and column of what is no number, or what does not fit.
pub fn read(text: &str, name: &str, x: &[f64], y: &[f64]) -> Result<Table, TableError> {
    let fail = |problem: String| TableError { table: name.to_owned(), problem };
    let lines: Vec<(usize, Vec<&str>)> = text
        .lines()
        .enumerate()
        .filter(|(_, l)| !l.trim().is_empty())
        .map(|(i, l)| (i + 1, cells(l)))
        .collect();
    if lines.is_empty() {
        return Err(fail("nothing was pasted".into()));
    }
    if lines.len() > LONGEST || lines.iter().any(|l| l.1.len() > LONGEST) {
        return Err(fail(format!("more than {LONGEST} rows or columns")));
    }
    let number = |(line, column, s): (usize, usize, &str)| {
        typed(s).ok_or_else(|| fail(format!("line {line}, column {column}: “{s}” is not a number")))
    };
    let numbers = |line: usize, from: usize, cells: &[&str]| {
        cells.iter().enumerate().map(|(k, s)| number((line, from + k, s))).collect::<Result<Vec<f64>, _>>()
    };
    let head = &lines[0].1;
    let corner = typed(head[0]).is_none();
    let shorter = lines.len() > 1 && head.len() + 1 == lines[1].1.len();
    let mut own = (x.to_vec(), y.to_vec());
    let body = if corner || shorter {
        own.0 = numbers(lines[0].0, 1 + usize::from(corner), &head[usize::from(corner)..])?;
        own.1 = lines[1..].iter().map(|(n, c)| number((*n, 1, c[0]))).collect::<Result<_, _>>()?;
        lines[1..].iter().map(|(n, c)| numbers(*n, 2, &c[1..])).collect::<Result<Vec<_>, _>>()?
    } else {
        lines.iter().map(|(n, c)| numbers(*n, 1, c)).collect::<Result<Vec<_>, _>>()?
    };
    let single = body.len() == 1 && own.1.len() <= 1;
    let axis =
        |channel: &str, at: &[f64]| Axis { channel: channel.into(), unit: String::new(), at: at.to_vec() };
    let table = Table {
        name: name.to_owned(),
        unit: String::new(),
        x: axis("x", &own.0),
        y: (!single).then(|| axis("y", &own.1)),
        rows: body,
    };
    table.validate()?;
    Ok(table)
}

/// A line cut at tabs or semicolons, else at blanks; a comma between digits is a decimal one there.
fn cells(line: &str) -> Vec<&str> {
    let by = |c: char| line.split(c).map(str::trim).collect::<Vec<_>>();
    let mut cut = if line.contains('\t') {
        by('\t')
    } else if line.contains(';') {
        by(';')
    } else if line.contains(',') && !line.trim().contains(char::is_whitespace) {
        by(',')
    } else {
        line.split_whitespace().collect()
    };
    // A separator behind the last value ends the line.
    if cut.len() > 1 && cut.last() == Some(&"") {
        cut.pop();
    }
    cut
}

/// A table for pasting elsewhere: values alone, or with its axes beside them.
pub fn write(t: &Table, digits: usize, axes: bool, between: char) -> String {
    let line = |v: &mut dyn Iterator<Item = String>| v.collect::<Vec<_>>().join(&between.to_string());
    let value = |v: &f64| format!("{v:.digits$}");
    let mut out = String::new();
    if axes {
        let head = std::iter::once(String::new()).chain(t.x.at.iter().map(ToString::to_string));
        out += &line(&mut head.collect::<Vec<_>>().into_iter());
        out.push('\n');
    }
    for (j, row) in t.rows.iter().enumerate() {
        let place = t.y.as_ref().map_or_else(String::new, |y| y.at[j].to_string());
        let first = axes.then_some(place);
        out += &line(&mut first.into_iter().chain(row.iter().map(value)));
        out.push('\n');
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tables_come_in_as_people_copy_them_and_go_out_again() {
        let (x, y) = ([1000.0, 2000.0, 3000.0], [50.0, 100.0]);
        let want = vec![vec![2.0, 2.5, 3.0], vec![4.0, 5.0, 6.0]];
        for text in [
            "2\t2.5\t3\n4\t5\t6\n",
            "2 2.5 3\n4 5 6",
            "2,2.5,3\r\n4,5,6\r\n",
            "2,0;2,5;3,0\n4;5;6;\n",
            "kPa\\rpm\t1000\t2000\t3000\n50\t2\t2.5\t3\n100\t4\t5\t6\n",
            "1000 2000 3000\n50 2 2.5 3\n100 4 5 6",
            "\t1000\t2000\t3000\n50\t2\t2.5\t3\n\n100\t4\t5\t6",
        ] {
            let t = read(text, "fuel", &x, &y).unwrap_or_else(|e| panic!("{text:?}: {e}"));
            assert_eq!(
                (&t.rows, &t.x.at[..], &t.y.as_ref().unwrap().at[..]),
                (&want, &x[..], &y[..]),
                "{text:?}"
            );
            let again = write(&t, 2, true, '\t');
            assert_eq!(read(&again, "fuel", &[], &[]).unwrap().rows, want);
        }
        let t = read("2 2.5 3\n4 5 6", "fuel", &x, &y).unwrap();
        assert_eq!(write(&t, 1, false, ';'), "2.0;2.5;3.0\n4.0;5.0;6.0\n");
    }

    #[test]
    fn what_does_not_fit_is_named_with_its_place() {
        let (x, y) = ([1000.0, 2000.0], [50.0, 100.0]);
        for (text, words) in [
            ("1 2\n3 four", "line 2, column 2: “four”"),
            ("1 2\n3 4\n5 6", "3 rows of values for 2 places"),
            ("1 2 3\n4 5 6", "3 values for 2 places"),
            ("rpm\t2000\t1000\n50\t1\t2", "ascending"),
            ("  \n", "nothing was pasted"),
        ] {
            let e = read(text, "fuel", &x, &y).unwrap_err();
            assert!(e.problem.contains(words), "{text:?}: {e}");
        }
    }
}
