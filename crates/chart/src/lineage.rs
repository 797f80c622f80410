//! The lines in front of a map's name in its tree.

use crate::paint::Paint;
use std::fmt::Write;

/// Width of one level.
const LEVEL: f64 = 26.0;

/// Draws the part of a tree's lines that belongs to one row: those of the levels above that go on, and the elbow to this
/// one. It stretches with the height of its row. `open` says of each level above whether it goes on below; an elbow turns
/// up at the last of its parent's children.
pub fn lineage_svg(open: &[bool], is_child: bool, last: bool, paint: Paint) -> String {
    let levels = open.len() + usize::from(is_child);
    if levels == 0 {
        return String::new();
    }
    let width = LEVEL * levels as f64;
    let mut s = format!(
        r#"<svg class="lines" width="{width}" viewBox="0 0 {width} 40" preserveAspectRatio="none" aria-hidden="true" fill="none" stroke="{}" stroke-width="1.6">"#,
        paint.colour("mid")
    );
    let x = |level: usize| LEVEL * level as f64 + 9.0;
    for (k, _) in open.iter().enumerate().filter(|o| *o.1) {
        let _ = write!(s, r#"<path d="M{} 0V40" vector-effect="non-scaling-stroke"/>"#, x(k));
    }
    if is_child {
        let (at, end) = (x(open.len()), width - 3.0);
        let down = if last { 20 } else { 40 };
        let _ = write!(s, r#"<path d="M{at} 0V{down}M{at} 20H{end}" vector-effect="non-scaling-stroke"/>"#);
    }
    s.push_str("</svg>");
    s
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_elbow_ends_at_the_last_child_and_open_levels_go_on() {
        assert_eq!(lineage_svg(&[], false, true, Paint::Light), "");
        let last = lineage_svg(&[true, false], true, true, Paint::Light);
        assert!(
            last.contains("M9 0V40") && !last.contains("M35 0V40") && last.contains("M61 0V20M61 20H75"),
            "{last}"
        );
        assert!(lineage_svg(&[], true, false, Paint::Light).contains("M9 0V40M9 20H23"));
    }
}
