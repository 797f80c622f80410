//! Flow sheets of injectors as benches print them: one line a shot series, or one line a test point with a column for
//! each injector.

use crate::csv::read_cells;
use crate::error::{FormatError, FormatProblem};
use crate::units::parse_unit;
use jamjar_core::diesel::flow_sheet::{FlowSheet, MOST_POINTS, SheetPoint};
use jamjar_core::units::Unit;
use std::io::Read;

/// What a column holds.
#[derive(Debug, Clone, PartialEq)]
enum Holds {
    Injector,
    Pressure(f64),
    Duration(f64),
    /// Mass of the named injector, or of the line's own; factor to mg.
    Mass(Option<String>, f64),
    /// Shot deviation likewise; `None` as a factor is a share of the mass in per cent.
    Shot(Option<String>, Option<f64>),
    Nothing,
}

/// Density by which volumes become masses, mg/mm³ (domain, section 6: diesel).
const MG_PER_MM3: f64 = 0.832;

/// Reads a sheet.
///
/// Headers may name pressure (MPa, bar), duration (µs, ms), mass (mg) or volume (mm³, at the density of diesel), and
/// deviation from shot to shot (mg or %). Either a column names the injector, or each injector has a column of its own:
/// `injector 1`, `cyl 2`, and `deviation 1` beside it.
///
/// # Errors
/// [`FormatError`] with line and column of what is no number, or what is missing among the headers.
pub fn read_flow_sheet(input: impl Read, file: &str) -> Result<FlowSheet, FormatError> {
    let cells = read_cells(input, file)?;
    let is_header = |r: &Vec<String>| {
        let holds: Vec<Holds> = r.iter().map(|h| holds_of(h)).collect();
        holds.iter().any(|h| matches!(h, Holds::Pressure(_)))
            && holds.iter().any(|h| matches!(h, Holds::Duration(_)))
    };
    let Some(head) = cells.rows.iter().position(is_header) else {
        let among = cells.rows.first().map_or_else(String::new, |r| r.join(", "));
        return Err(FormatError::whole(file, FormatProblem::NoFlowHeader { among }));
    };
    let names = &cells.rows[head];
    let columns: Vec<Holds> = names.iter().map(|h| holds_of(h)).collect();
    let by_line = columns.contains(&Holds::Injector);
    if !columns.iter().any(|c| matches!(c, Holds::Mass(own, _) if own.is_none() == by_line)) {
        return Err(FormatError::at(
            file,
            head as u64 + 1,
            1,
            FormatProblem::NoFlowMass { among: names.join(", ") },
        ));
    }
    let mut points = Vec::new();
    for (i, row) in cells.rows.iter().enumerate().skip(head + 1) {
        if row.iter().all(String::is_empty) {
            continue;
        }
        let number = |c: usize| -> Result<Option<f64>, FormatError> {
            match row.get(c).map(String::as_str) {
                None | Some("" | "-") => Ok(None),
                Some(text) => cells.number(i, c).map(Some).ok_or_else(|| {
                    let problem = FormatProblem::NotANumber { text: text.into(), column: names[c].clone() };
                    FormatError::at(file, i as u64 + 1, c as u64 + 1, problem)
                }),
            }
        };
        let needed = |want: &dyn Fn(&Holds) -> Option<f64>, what: &'static str| {
            let (c, factor) =
                columns.iter().enumerate().find_map(|(c, h)| Some((c, want(h)?))).unwrap_or((0, 1.0));
            let v = number(c)?.filter(|v| v.is_finite() && *v > 0.0);
            v.map(|v| v * factor).ok_or_else(|| {
                FormatError::at(file, i as u64 + 1, c as u64 + 1, FormatProblem::FlowBlank { what })
            })
        };
        let pressure = needed(&|h| if let Holds::Pressure(f) = h { Some(*f) } else { None }, "a pressure")?;
        let duration = needed(&|h| if let Holds::Duration(f) = h { Some(*f) } else { None }, "a duration")?;
        let own = columns.iter().position(|h| *h == Holds::Injector).and_then(|c| row.get(c)).cloned();
        for (c, h) in columns.iter().enumerate() {
            let Holds::Mass(named, factor) = h else { continue };
            let Some(mass) = number(c)?.map(|v| v * factor) else { continue };
            let Some(injector) = named.clone().or_else(|| own.clone()).filter(|n| !n.is_empty()) else {
                continue;
            };
            let mut shot = None;
            for (k, s) in columns.iter().enumerate() {
                let Holds::Shot(of, factor) = s else { continue };
                if of == named {
                    shot = number(k)?.map(|v| factor.map_or(v / 100.0 * mass, |f| v * f));
                }
            }
            points.push(SheetPoint {
                injector,
                pressure_mpa: pressure,
                duration_us: duration,
                mass_mg: mass,
                shot_sd_mg: shot,
            });
            if points.len() > MOST_POINTS {
                return Err(FormatError::at(
                    file,
                    i as u64 + 1,
                    1,
                    FormatProblem::FlowTooMany { most: MOST_POINTS },
                ));
            }
        }
    }
    if points.is_empty() {
        return Err(FormatError::whole(file, FormatProblem::NoRows));
    }
    Ok(FlowSheet { source: String::new(), points })
}

/// What a header says: words, a unit in brackets or at its end, a number of an injector.
fn holds_of(header: &str) -> Holds {
    let lower = header.trim().to_lowercase();
    let words: Vec<&str> = lower
        .split(|c: char| !c.is_alphanumeric() && c != '%' && c != '³')
        .filter(|w| !w.is_empty())
        .collect();
    let has = |all: &[&str]| words.iter().any(|w| all.contains(w));
    let number = words.iter().rev().find(|w| w.bytes().all(|b| b.is_ascii_digit())).map(|w| (*w).to_owned());
    let units = words.iter().find_map(|w| parse_unit(w));
    if has(&["pressure", "rail", "druck", "pression", "presión", "pressione"]) {
        let bar = has(&["bar"]) || units == Some(Unit::BarAbs);
        return Holds::Pressure(if bar { 0.1 } else { 1.0 });
    }
    if has(&["duration", "time", "pulse", "dauer", "durée", "duración", "durata"]) {
        return Holds::Duration(if has(&["ms"]) { 1000.0 } else { 1.0 });
    }
    let named = has(&["injector", "inj", "cyl", "cylinder", "nozzle", "injektor"]);
    if has(&["deviation", "sd", "shot", "dev", "std", "abweichung"]) {
        let of = number.clone().filter(|_| named || words.len() > 1);
        return Holds::Shot(of, if has(&["%", "percent", "pct"]) { None } else { Some(1.0) });
    }
    let factor = if has(&["mm3", "mm³", "volume"]) { MG_PER_MM3 } else { 1.0 };
    if named && number.is_some() {
        return Holds::Mass(number, factor);
    }
    if has(&["mass", "quantity", "delivery", "mg", "mm3", "mm³", "volume", "menge", "masse"]) {
        return Holds::Mass(number, factor);
    }
    if named || has(&["no", "name"]) { Holds::Injector } else { Holds::Nothing }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_a_series_and_a_column_an_injector_read_alike() {
        let long = "Flow bench, 4 injectors\ninjector,pressure (bar),duration (us),mass (mg),shot deviation (mg)\n1,600,500,20.0,0.2\n2,600,500,20.4,\n";
        let wide = "Rail pressure [MPa];Duration [ms];Injector 1 [mg];Injector 2 [mg];Deviation 1 [%]\n60;0,5;20,0;20,4;1,0\n";
        let (a, b) =
            (read_flow_sheet(long.as_bytes(), "a").unwrap(), read_flow_sheet(wide.as_bytes(), "b").unwrap());
        assert_eq!(a, b);
        assert_eq!(a.points.len(), 2);
        assert_eq!(a.points[0].shot_sd_mg, Some(0.2));
        assert!((a.points[1].pressure_mpa - 60.0).abs() < 1e-12 && a.points[1].mass_mg == 20.4);
    }

    #[test]
    fn what_is_missing_is_named_with_its_place() {
        let no_mass =
            read_flow_sheet("injector,pressure (MPa),duration (us)\n1,60,500\n".as_bytes(), "s.csv")
                .unwrap_err();
        assert!(
            no_mass.to_string().starts_with("s.csv:1:1") && no_mass.to_string().contains("mass"),
            "{no_mass}"
        );
        let text = "injector,pressure (MPa),duration (us),mass (mg)\n1,60,500,20\n2,60,often,20\n";
        let bad = read_flow_sheet(text.as_bytes(), "s.csv").unwrap_err().to_string();
        assert!(bad.contains("s.csv:3:3") && bad.contains("often"), "{bad}");
        let blank = read_flow_sheet(
            "injector,pressure (MPa),duration (us),mass (mg)\n1,60,500,20\n1,,500,20\n".as_bytes(),
            "s.csv",
        );
        assert!(blank.unwrap_err().to_string().contains("a pressure"));
        assert!(
            read_flow_sheet("a,b\n1,2\n".as_bytes(), "s.csv").unwrap_err().to_string().contains("pressure")
        );
    }
}
