//! The sheet on paper: the same words and figures as the page, set for A4 and Letter.

use super::facts::{LimitFacts, PullFacts, SetFacts};
use super::sheet::{Sheet, SheetPart};
use crate::error::WebError;
use crate::pages::lineup::picture_of;
use crate::paper::{Cell, Flow, Size, Style, Table, press};
use crate::views::common::Matrix;
use crate::views::lineup::FigureRow;

/// The sheet as PDF.
///
/// # Errors
/// [`WebError::Internal`] when a picture or the file cannot be made.
pub(crate) fn print(sheet: &Sheet, size: Size) -> Result<Vec<u8>, WebError> {
    let mut f = Flow::new(size.points());
    let head = &sheet.head;
    let shop = if head.shop.is_empty() { "Report on pulls" } else { &head.shop };
    let number = format!("Report {}", head.number);
    f.both((shop, Style { size: 13.0, ..Style::STRONG }), (&number, Style { size: 11.0, ..Style::STRONG }));
    let issued = format!("{}, {}", head.issued, head.by);
    f.both((&head.shop_line, Style::SMALL), (&issued, Style::SMALL));
    if !head.customer.is_empty() {
        f.both(("", Style::SMALL), (&format!("for {}", head.customer), Style::SMALL));
    }
    f.rule(1.2);
    f.text(&head.supersedes, Style::STRONG);
    for (k, part) in sheet.parts.iter().enumerate() {
        if k > 0 {
            f.page();
        }
        first_page(&mut f, part, if k == 0 { &head.remarks } else { &[] })?;
    }
    f.heading(2, "What this says, and what it does not");
    sheet.says.iter().for_each(|s| f.item(s));
    f.heading(2, "To heed");
    sheet.heed.iter().for_each(|s| f.item(s));
    for part in &sheet.parts {
        appendix(&mut f, part);
    }
    f.gap(6.0);
    let made = format!(
        "Made with Jamjar {}, computation {}. The figures behind it are kept with it; SHA-256 {}.",
        sheet.version, sheet.algorithm, head.figures_sha
    );
    f.text(&made, Style::SMALL);
    press(&f, size, &sheet.title(), &number).map_err(WebError::Internal)
}

fn first_page(f: &mut Flow, p: &SheetPart, remarks: &[String]) -> Result<(), WebError> {
    f.text(&format!("{} · {}", p.vehicle, p.about), Style::SMALL);
    f.heading(1, &p.sentence);
    if p.driven != p.sentence {
        f.text(&p.driven, Style::BODY);
    }
    f.text(&p.second, Style::BODY);
    f.text(&p.limits, if p.limits_warn { Style::WARN } else { Style::STRONG });
    remarks.iter().for_each(|r| f.text(r, Style::BODY));
    f.picture(picture_of(&p.chart)?, "Power or torque of every set over engine speed, the gain with its 95 % band, and the share of each margin used. The tables below say the same.");
    f.table(&figures(&p.heads, &p.rows));
    f.text("Figure, then gain ± half of its 95 % interval.", Style::SMALL);
    if p.matrix.rows.is_empty() {
        f.text("No limits are set for this vehicle: nothing was checked.", Style::STRONG);
    } else {
        f.heading(2, "What was checked, and what was not");
        f.table(&margins(&p.matrix));
        f.text("The share is how much of the margin was used; at 100 % the limit is met.", Style::SMALL);
    }
    f.heading(2, "Left in the unit");
    let software = if p.software.is_empty() { String::new() } else { format!(" Software: {}.", p.software) };
    f.text(&format!("{}{software}", p.unit), Style::BODY);
    Ok(())
}

fn heads<'a>(all: impl IntoIterator<Item = &'a str>, right_from: usize) -> Vec<Cell> {
    let head = |(k, h): (usize, &str)| if k >= right_from { Cell::new(h).right() } else { Cell::new(h) };
    all.into_iter().enumerate().map(head).collect()
}

fn figures(heads_of: &[String], rows: &[FigureRow]) -> Table {
    let head = heads(["Set", "pulls"].into_iter().chain(heads_of.iter().map(String::as_str)), 1);
    let row = |r: &FigureRow| {
        let cell = |c: &crate::views::lineup::FigureCell| {
            let parts = [c.value.as_str(), c.gain.as_str(), c.verdict];
            let text: Vec<&str> = parts.into_iter().filter(|p| !p.is_empty()).collect();
            Cell::new(text.join("  ")).right()
        };
        let mut out = vec![Cell::new(&*r.name).styled(Style::CELL_STRONG), Cell::new(&*r.n).right()];
        out.extend(r.cells.iter().map(cell));
        out
    };
    Table { rows: std::iter::once(head).chain(rows.iter().map(row)).collect() }
}

fn margins(m: &Matrix) -> Table {
    let names: Vec<String> = m.heads.iter().map(|h| format!("{} {}", h.map, h.detail)).collect();
    let head = heads(std::iter::once("Limit").chain(names.iter().map(String::as_str)), usize::MAX);
    let row = |r: &crate::views::common::MatrixRow| {
        let mut out = vec![Cell::new(format!("{}, {}", r.label, r.rule))];
        out.extend(r.cells.iter().map(|c| {
            let style = if c.warn {
                Style::CELL_WARN
            } else if c.loud {
                Style::CELL_STRONG
            } else {
                Style::CELL
            };
            Cell::new(format!("{} {}", c.word, c.share).trim()).styled(style)
        }));
        out
    };
    Table { rows: std::iter::once(head).chain(m.rows.iter().map(row)).collect() }
}

fn appendix(f: &mut Flow, p: &SheetPart) {
    f.page();
    f.heading(1, &format!("Appendix: {}", p.vehicle));
    p.method.iter().for_each(|m| f.text(m, Style::BODY));
    if !p.caveats.is_empty() {
        f.heading(3, "To know of the comparison");
        p.caveats.iter().for_each(|c| f.item(c));
    }
    f.heading(3, "How each set was pulled");
    f.table(&sets(&p.sets));
    if !p.state.is_empty() {
        f.heading(3, &format!("State of the baseline and of {}", p.state_of));
        let head = heads(["", "baseline", &p.state_of, "difference"], 1);
        let row = |s: &crate::views::lineup::StateRow| {
            let style = if s.notable { Style::CELL_STRONG } else { Style::CELL };
            let mut out = vec![Cell::new(&*s.label).styled(style)];
            out.extend(s.values.iter().map(|v| Cell::new(format!("{v} {}", s.unit)).styled(style).right()));
            out
        };
        f.table(&Table { rows: std::iter::once(head).chain(p.state.iter().map(row)).collect() });
    }
    f.heading(3, "Every pull");
    let head = heads(["Set", "pull", "peak", "ended by", "left out"], usize::MAX);
    let row = |x: &PullFacts| {
        let number = Cell::new(x.number.to_string()).styled(Style::FIGURE);
        vec![Cell::new(&*x.set), number, Cell::new(&*x.peak), Cell::new(x.ended_by), Cell::new(&*x.left_out)]
    };
    f.table(&Table { rows: std::iter::once(head).chain(p.pulls.iter().map(row)).collect() });
    if !p.limit_facts.is_empty() {
        f.heading(3, "Limits as they held");
        let head = heads(["Limit", "rule", "judged", "severity", "source"], usize::MAX);
        let row = |x: &LimitFacts| {
            [&x.label, &x.rule, &x.gate, x.severity, &x.source].into_iter().map(Cell::new).collect::<Vec<_>>()
        };
        f.table(&Table { rows: std::iter::once(head).chain(p.limit_facts.iter().map(row)).collect() });
        for r in &p.matrix.rows {
            r.reasons.iter().for_each(|why| f.text(&format!("{}: {why}", r.label), Style::SMALL));
        }
    }
}

/// One row a fact, one column a set, at most three beside each other.
fn sets(all: &[SetFacts]) -> Table {
    let head = heads(["Set", "", ""], usize::MAX);
    let mut rows = vec![head];
    for s in all {
        for (k, pair) in s.facts.chunks(2).enumerate() {
            let name = if k == 0 { s.name.as_str() } else { "" };
            let fact =
                |p: Option<&(&str, String)>| p.map_or_else(String::new, |p| format!("{}: {}", p.0, p.1));
            rows.push(vec![
                Cell::new(name).styled(Style::CELL_STRONG),
                Cell::new(fact(pair.first())),
                Cell::new(fact(pair.get(1))),
            ]);
        }
    }
    Table { rows }
}
