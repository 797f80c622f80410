//! Pages to PDF, tagged in reading order.

use super::layout::{Flow, Mark, Placed, Role, Style};
use super::letters::{Cut, Run};
use krilla::color::rgb;
use krilla::geom::{PathBuilder, Point, Rect, Size as Area, Transform};
use krilla::metadata::Metadata;
use krilla::page::PageSettings;
use krilla::paint::Fill;
use krilla::surface::Surface;
use krilla::tagging::{
    Artifact, ArtifactType, ContentTag, Identifier, ListNumbering, Node, SpanTag, TableHeaderScope, Tag,
    TagGroup, TagTree,
};
use krilla::text::TextDirection;
use krilla::{Document, SerializeSettings};
use krilla_svg::{SurfaceExt, SvgSettings};
use std::num::NonZeroU16;

/// Paper sizes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Size {
    A4,
    Letter,
}

impl Size {
    /// Both.
    pub(crate) const ALL: [Self; 2] = [Self::A4, Self::Letter];

    /// Id in addresses.
    pub(crate) fn id(self) -> &'static str {
        match self {
            Self::A4 => "a4",
            Self::Letter => "letter",
        }
    }

    /// Width and height, points.
    pub(crate) fn points(self) -> [f32; 2] {
        match self {
            Self::A4 => [595.28, 841.89],
            Self::Letter => [612.0, 792.0],
        }
    }
}

/// Sets what was laid out; `foot` stands at the foot of every page before its number.
///
/// # Errors
/// A sentence, when it cannot be written.
pub(crate) fn press(flow: &Flow, size: Size, title: &str, foot: &str) -> Result<Vec<u8>, String> {
    let [wide, high] = size.points();
    let settings = SerializeSettings { enable_tagging: true, ..SerializeSettings::default() };
    let mut document = Document::new_with(settings);
    document.set_metadata(
        Metadata::new().title(title.to_owned()).language("en".to_owned()).creator("Jamjar".to_owned()),
    );
    let mut read: Vec<Vec<Identifier>> = vec![Vec::new(); flow.leaves.len()];
    let pages = flow.pages.len();
    for (k, page) in flow.pages.iter().enumerate() {
        let settings = PageSettings::from_wh(wide, high).ok_or("a page without a size")?;
        let mut sheet = document.start_page_with(settings);
        let mut surface = sheet.surface();
        let mut rest = page.as_slice();
        while let Some(first) = rest.first() {
            let n = rest.iter().take_while(|p| p.leaf == first.leaf).count();
            let (own, after) = rest.split_at(n);
            leaf(&mut surface, own, &flow.leaves[first.leaf], &mut read[first.leaf]);
            rest = after;
        }
        surface.start_tagged(ContentTag::Artifact(Artifact::with_kind(ArtifactType::Layout)));
        let words = format!("{foot} · page {} of {pages}", k + 1);
        let y = high - 30.0;
        text(&mut surface, (42.0, y), &super::letters::runs(&words, Cut::Body), Style::SMALL);
        surface.end_tagged();
        surface.finish();
        sheet.finish();
    }
    document.set_tag_tree(tree(flow, read));
    document.finish().map_err(|e| format!("the PDF cannot be written: {e:?}"))
}

fn leaf(surface: &mut Surface<'_>, own: &[Placed], role: &Role, read: &mut Vec<Identifier>) {
    let tag = match role {
        Role::Artifact => ContentTag::Artifact(Artifact::with_kind(ArtifactType::Layout)),
        Role::Figure(_) => ContentTag::Other,
        _ => ContentTag::Span(SpanTag::empty()),
    };
    let id = surface.start_tagged(tag);
    own.iter().for_each(|p| draw(surface, &p.mark));
    surface.end_tagged();
    if *role != Role::Artifact {
        read.push(id);
    }
}

fn fill(surface: &mut Surface<'_>, ink: [u8; 3]) {
    let paint = rgb::Color::new(ink[0], ink[1], ink[2]).into();
    surface.set_fill(Some(Fill { paint, ..Fill::default() }));
    surface.set_stroke(None);
}

fn text(surface: &mut Surface<'_>, (mut x, y): (f32, f32), runs: &[Run], style: Style) {
    fill(surface, style.ink);
    for r in runs {
        let at = Point::from_xy(x, y);
        surface.draw_text(at, r.cut.font(), style.size, &r.text, false, TextDirection::LeftToRight);
        x += r.wide * style.size;
    }
}

fn draw(surface: &mut Surface<'_>, mark: &Mark) {
    match mark {
        Mark::Text { x, y, runs, style } => text(surface, (*x, *y), runs, *style),
        Mark::Rule { x, y, thick } => {
            fill(surface, Style::SMALL.ink);
            let mut path = PathBuilder::new();
            if let Some(r) = Rect::from_xywh(x[0], y - thick / 2.0, x[1] - x[0], *thick) {
                path.push_rect(r);
            }
            if let Some(p) = path.finish() {
                surface.draw_path(&p);
            }
        }
        Mark::Picture { x, y, wide, high, tree } => {
            surface.push_transform(&Transform::from_translate(*x, *y));
            if let Some(area) = Area::from_wh(*wide, *high) {
                let _ = surface.draw_svg(tree, area, SvgSettings::default());
            }
            surface.pop();
        }
    }
}

/// A table whose cells are being gathered: its number, and its rows.
type OpenTable = Option<(usize, Vec<(usize, TagGroup)>)>;

fn close(out: &mut TagTree, open: &mut OpenTable) {
    if let Some((_, rows)) = open.take() {
        let rows = rows.into_iter().map(|r| Node::from(r.1)).collect();
        out.push(TagGroup::with_children(Tag::Table, rows));
    }
}

/// What is read aloud, in order: cells gathered into rows and tables, items into lists.
fn tree(flow: &Flow, read: Vec<Vec<Identifier>>) -> TagTree {
    let mut out = TagTree::new().with_lang(Some("en".to_owned()));
    let mut open: OpenTable = None;
    for (role, ids) in flow.leaves.iter().zip(read) {
        let own: Vec<Node> = ids.into_iter().map(Node::from).collect();
        if let Role::Cell { table, row, head } = role {
            if open.as_ref().is_none_or(|o| o.0 != *table) {
                close(&mut out, &mut open);
            }
            let rows = &mut open.get_or_insert_with(|| (*table, Vec::new())).1;
            let cell = match head {
                Some(true) => TagGroup::with_children(Tag::TH(TableHeaderScope::Column), own),
                Some(false) => TagGroup::with_children(Tag::TH(TableHeaderScope::Row), own),
                None => TagGroup::with_children(Tag::TD, own),
            };
            match rows.last_mut() {
                Some((r, group)) if r == row => group.push(cell),
                _ => rows.push((*row, TagGroup::with_children(Tag::TR, vec![cell.into()]))),
            }
            continue;
        }
        if *role != Role::Artifact {
            close(&mut out, &mut open);
        }
        match role {
            Role::Artifact | Role::Cell { .. } => {}
            Role::Heading(level) => {
                let level = NonZeroU16::new(*level).unwrap_or(NonZeroU16::MIN);
                out.push(TagGroup::with_children(Tag::Hn(level, None), own));
            }
            Role::Paragraph => out.push(TagGroup::with_children(Tag::P, own)),
            Role::Figure(words) => {
                out.push(TagGroup::with_children(Tag::Figure(Some(words.clone())), own));
            }
            Role::Item => {
                let body = TagGroup::with_children(Tag::LBody, own);
                let item = TagGroup::with_children(Tag::LI, vec![body.into()]);
                out.push(TagGroup::with_children(Tag::L(ListNumbering::None), vec![item.into()]));
            }
        }
    }
    close(&mut out, &mut open);
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::paper::{Cell, Table};

    fn laid(size: Size) -> Flow {
        let mut f = Flow::new(size.points());
        f.heading(1, "C6 gains 12.9 kW on Жигули, λ 0.85");
        f.text("What stands below is long.", Style::BODY);
        let row = |k: usize| vec![Cell::new(format!("set {k}")), Cell::new("12.9 ± 1.8").right()];
        f.table(&Table { rows: (0..90).map(row).collect() });
        f.item("an item");
        f
    }

    #[test]
    fn a_table_goes_over_pages_and_nothing_leaves_the_paper() {
        for size in Size::ALL {
            let f = laid(size);
            assert!(f.pages.len() > 1);
            let [wide, high] = size.points();
            for p in f.pages.iter().flatten() {
                let (x, y) = match &p.mark {
                    Mark::Text { x, y, runs, style } => {
                        (x + runs.iter().map(|r| r.wide * style.size).sum::<f32>(), *y)
                    }
                    Mark::Rule { x, y, .. } => (x[1], *y),
                    Mark::Picture { x, y, wide, high, .. } => (x + wide, y + high),
                };
                assert!(x <= wide - 40.0 && y <= high - 40.0, "{:?}", p.mark);
            }
            let pdf = press(&f, size, "a title", "Report 2026-001").unwrap();
            assert!(pdf.starts_with(b"%PDF-") && pdf.len() < 120_000, "{} bytes", pdf.len());
            assert_eq!(
                pdf,
                press(&laid(size), size, "a title", "Report 2026-001").unwrap(),
                "made twice it is the same"
            );
        }
    }
}
