//! What stands on the paper, from the top: laid out into pages of lines, rules and pictures, each with its place in what
//! is read aloud.

use super::letters::{Cut, Run, lines, runs, width};
use resvg::usvg;
use std::sync::Arc;

/// How text is set.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Style {
    pub(crate) cut: Cut,
    /// Points.
    pub(crate) size: f32,
    /// Red, green, blue.
    pub(crate) ink: [u8; 3],
}

const INK: [u8; 3] = [0x23, 0x20, 0x1b];
const QUIET: [u8; 3] = [0x5c, 0x54, 0x48];
const WARN: [u8; 3] = [0xb0, 0x36, 0x1e];

impl Style {
    pub(crate) const BODY: Self = Self { cut: Cut::Body, size: 9.5, ink: INK };
    pub(crate) const STRONG: Self = Self { cut: Cut::Bold, ..Self::BODY };
    pub(crate) const WARN: Self = Self { ink: WARN, ..Self::STRONG };
    pub(crate) const SMALL: Self = Self { size: 8.0, ink: QUIET, ..Self::BODY };
    pub(crate) const CELL: Self = Self { size: 8.0, ..Self::BODY };
    pub(crate) const CELL_STRONG: Self = Self { size: 8.0, ..Self::STRONG };
    pub(crate) const CELL_WARN: Self = Self { size: 8.0, ..Self::WARN };
    pub(crate) const FIGURE: Self = Self { cut: Cut::Figure, ..Self::CELL };

    fn title(level: u16) -> Self {
        let size = [15.0, 12.0, 10.5][usize::from(level.clamp(1, 3)) - 1];
        Self { cut: Cut::Title, size, ink: INK }
    }

    fn leading(self) -> f32 {
        1.32 * self.size
    }
}

/// A cell: its text and how it is set; to the right for numbers.
#[derive(Debug, Clone)]
pub(crate) struct Cell {
    pub(crate) text: String,
    pub(crate) style: Style,
    pub(crate) right: bool,
}

impl Cell {
    pub(crate) fn new(text: impl Into<String>) -> Self {
        Self { text: text.into(), style: Style::CELL, right: false }
    }

    pub(crate) fn styled(self, style: Style) -> Self {
        Self { style, ..self }
    }

    pub(crate) fn right(self) -> Self {
        Self { right: true, ..self }
    }
}

/// A table: its first row is its head, the first cell of every row names it.
#[derive(Debug, Clone)]
pub(crate) struct Table {
    pub(crate) rows: Vec<Vec<Cell>>,
}

/// What a leaf of the reading order is.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Role {
    Heading(u16),
    Paragraph,
    Item,
    /// Table, row, and whether it is a head of a column or a row.
    Cell {
        table: usize,
        row: usize,
        head: Option<bool>,
    },
    Figure(String),
    /// Not read: page numbers, rules.
    Artifact,
}

/// Something drawn.
#[derive(Debug, Clone)]
pub(super) enum Mark {
    /// Runs from the left end of their base line.
    Text {
        x: f32,
        y: f32,
        runs: Vec<Run>,
        style: Style,
    },
    Rule {
        x: [f32; 2],
        y: f32,
        thick: f32,
    },
    Picture {
        x: f32,
        y: f32,
        wide: f32,
        high: f32,
        tree: Arc<usvg::Tree>,
    },
}

/// A mark with the leaf it belongs to.
#[derive(Debug, Clone)]
pub(super) struct Placed {
    pub(super) leaf: usize,
    pub(super) mark: Mark,
}

/// Pages under way.
pub(crate) struct Flow {
    pub(super) wide: f32,
    high: f32,
    margin: f32,
    y: f32,
    pub(super) pages: Vec<Vec<Placed>>,
    pub(super) leaves: Vec<Role>,
    tables: usize,
}

/// Kept free at the foot of a page for its number.
const FOOT: f32 = 24.0;

impl Flow {
    /// Empty paper of a size, points.
    pub(crate) fn new([wide, high]: [f32; 2]) -> Self {
        let margin = 42.0;
        Self { wide, high, margin, y: margin, pages: vec![Vec::new()], leaves: Vec::new(), tables: 0 }
    }

    fn inner(&self) -> f32 {
        self.wide - 2.0 * self.margin
    }

    fn leaf(&mut self, role: Role) -> usize {
        self.leaves.push(role);
        self.leaves.len() - 1
    }

    fn put(&mut self, leaf: usize, mark: Mark) {
        if let Some(page) = self.pages.last_mut() {
            page.push(Placed { leaf, mark });
        }
    }

    /// A new page when so much does not fit below.
    fn room(&mut self, needed: f32) {
        if self.y + needed > self.high - self.margin - FOOT && self.y > self.margin {
            self.page();
        }
    }

    /// What follows begins on a page of its own.
    pub(crate) fn page(&mut self) {
        self.pages.push(Vec::new());
        self.y = self.margin;
    }

    /// Room between.
    pub(crate) fn gap(&mut self, points: f32) {
        self.y += points;
    }

    fn line(&mut self, leaf: usize, text: &str, style: Style, (x, wide, right): (f32, f32, bool)) {
        let runs = runs(text, style.cut);
        let own: f32 = runs.iter().map(|r| r.wide * style.size).sum();
        let x = if right { x + wide - own } else { x };
        self.put(leaf, Mark::Text { x, y: self.y + style.size, runs, style });
        self.y += style.leading();
    }

    fn block(&mut self, role: Role, text: &str, style: Style, indent: f32) {
        let leaf = self.leaf(role);
        let (x, wide) = (self.margin + indent, self.inner() - indent);
        for l in lines(text, style.cut, wide / style.size) {
            self.room(style.leading());
            self.line(leaf, &l, style, (x, wide, false));
        }
    }

    /// A heading; it stays with what follows.
    pub(crate) fn heading(&mut self, level: u16, text: &str) {
        let style = Style::title(level);
        self.gap(if level == 1 { 4.0 } else { 8.0 });
        self.room(style.leading() + 30.0);
        self.block(Role::Heading(level), text, style, 0.0);
        self.gap(2.0);
    }

    /// A paragraph; blank ones are left out.
    pub(crate) fn text(&mut self, text: &str, style: Style) {
        if !text.trim().is_empty() {
            self.block(Role::Paragraph, text, style, 0.0);
            self.gap(2.0);
        }
    }

    /// A paragraph in a list.
    pub(crate) fn item(&mut self, text: &str) {
        self.room(Style::BODY.leading());
        let dot = self.leaf(Role::Artifact);
        let (x, y) = (self.margin + 2.0, self.y);
        self.line(dot, "·", Style::STRONG, (x, 8.0, false));
        self.y = y;
        self.block(Role::Item, text, Style::BODY, 10.0);
        self.gap(1.0);
    }

    /// Two texts on one line, left and right.
    pub(crate) fn both(&mut self, left: (&str, Style), right: (&str, Style)) {
        let y = self.y;
        self.block(Role::Paragraph, left.0, left.1, 0.0);
        let after = self.y;
        self.y = y;
        let leaf = self.leaf(Role::Paragraph);
        let (x, wide) = (self.margin, self.inner());
        for l in lines(right.0, right.1.cut, 0.55 * wide / right.1.size) {
            self.line(leaf, &l, right.1, (x, wide, true));
        }
        self.y = self.y.max(after);
    }

    /// A line across.
    pub(crate) fn rule(&mut self, thick: f32) {
        let leaf = self.leaf(Role::Artifact);
        let x = [self.margin, self.wide - self.margin];
        self.gap(3.0);
        self.put(leaf, Mark::Rule { x, y: self.y, thick });
        self.gap(4.0);
    }

    /// A picture across the page, with the words that stand for it.
    pub(crate) fn picture(&mut self, tree: usvg::Tree, words: &str) {
        let (own, wide) = (tree.size(), self.inner());
        let high = wide * own.height() / own.width();
        let most = self.high - 2.0 * self.margin - FOOT;
        let (wide, high) = if high > most { (wide * most / high, most) } else { (wide, high) };
        self.room(high);
        let leaf = self.leaf(Role::Figure(words.to_owned()));
        self.put(leaf, Mark::Picture { x: self.margin, y: self.y, wide, high, tree: Arc::new(tree) });
        self.y += high + 4.0;
    }

    /// A table; its head stands again on every page it goes over.
    pub(crate) fn table(&mut self, t: &Table) {
        let Some(head) = t.rows.first() else { return };
        let widths = widths(t, self.inner());
        let number = self.tables;
        self.tables += 1;
        let head_high = row_high(head, &widths);
        self.room(head_high + t.rows.get(1).map_or(0.0, |r| row_high(r, &widths)));
        self.row(head, &widths, (number, 0), true);
        for (k, row) in t.rows.iter().enumerate().skip(1) {
            let pages = self.pages.len();
            self.room(row_high(row, &widths));
            if self.pages.len() > pages {
                // Seen again, and not read again.
                self.row(head, &widths, (number, 0), false);
            }
            self.row(row, &widths, (number, k), true);
        }
        self.gap(4.0);
    }

    fn row(&mut self, cells: &[Cell], widths: &[f32], (table, row): (usize, usize), read: bool) {
        let (top, mut bottom) = (self.y, self.y);
        let mut x = self.margin;
        for (k, (cell, wide)) in cells.iter().zip(widths).enumerate() {
            let head = if row == 0 {
                Some(true)
            } else if k == 0 {
                Some(false)
            } else {
                None
            };
            let leaf = self.leaf(if read { Role::Cell { table, row, head } } else { Role::Artifact });
            self.y = top + 1.5;
            let style = if row == 0 { Style { cut: Cut::Bold, ..cell.style } } else { cell.style };
            for l in lines(&cell.text, style.cut, (wide - PAD) / style.size) {
                self.line(leaf, &l, style, (x, wide - PAD, cell.right));
            }
            bottom = bottom.max(self.y);
            x += wide;
        }
        let leaf = self.leaf(Role::Artifact);
        let ends = [self.margin, self.margin + widths.iter().sum::<f32>()];
        self.put(leaf, Mark::Rule { x: ends, y: bottom + 1.0, thick: if row == 0 { 1.0 } else { 0.4 } });
        self.y = bottom + 2.0;
    }
}

/// Between two columns.
const PAD: f32 = 6.0;

fn row_high(cells: &[Cell], widths: &[f32]) -> f32 {
    let high = |(c, w): (&Cell, &f32)| {
        lines(&c.text, c.style.cut, (w - PAD) / c.style.size).len() as f32 * c.style.leading()
    };
    cells.iter().zip(widths).map(high).fold(0.0, f32::max) + 4.0
}

/// Widths of columns: what they would like, and where that is too much, their longest word and a share of the rest.
fn widths(t: &Table, wide: f32) -> Vec<f32> {
    let columns = t.rows.iter().map(Vec::len).max().unwrap_or(0);
    let most = |k: usize, of: &dyn Fn(&Cell) -> f32| {
        t.rows.iter().filter_map(|r| r.get(k)).map(|c| of(c) * 1.06 * c.style.size + PAD).fold(0.0, f32::max)
    };
    let whole = |c: &Cell| width(&c.text, if c.style.cut == Cut::Body { Cut::Bold } else { c.style.cut });
    let word =
        |c: &Cell| c.text.split_whitespace().map(|w| width(w, Cut::Bold)).fold(0.0, f32::max).min(14.0);
    let like: Vec<f32> = (0..columns).map(|k| most(k, &whole)).collect();
    let least: Vec<f32> = (0..columns).map(|k| most(k, &word).min(like[k])).collect();
    let (all, floor): (f32, f32) = (like.iter().sum(), least.iter().sum());
    if all <= wide {
        let more = (wide - all) / columns.max(1) as f32;
        return like.iter().map(|w| w + more).collect();
    }
    if floor >= wide {
        return least.iter().map(|w| w * wide / floor).collect();
    }
    let share = (wide - floor) / (all - floor);
    like.iter().zip(&least).map(|(l, w)| w + share * (l - w)).collect()
}
