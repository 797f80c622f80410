//! The frame of a small chart: grid lines with their numbers, what stands upright and what lies along.

use crate::paint::Paint;
use crate::scale::Scale;
use crate::svg::{escape, n};
use std::fmt::Write;

/// Where the chart lies in its picture, px, and its scales.
pub(crate) struct Frame {
    pub(crate) x: Scale,
    pub(crate) y: Scale,
    pub(crate) left: f64,
    pub(crate) right: f64,
    pub(crate) top: f64,
    pub(crate) bottom: f64,
}

impl Frame {
    /// Upright lines, about `wanted` of them, each with its number as `told`.
    pub(crate) fn upright(&self, s: &mut String, wanted: usize, paint: Paint, told: impl Fn(f64) -> String) {
        let (grid, mid) = (paint.colour("grid"), paint.colour("mid"));
        for t in self.x.ticks(wanted) {
            let at = n(self.x.at(t));
            let _ = write!(
                s,
                r#"<line x1="{at}" x2="{at}" y1="{}" y2="{}" stroke="{grid}"/><text x="{at}" y="{}" text-anchor="middle" font-size="12" fill="{mid}">{}</text>"#,
                self.top,
                self.bottom,
                n(self.bottom + 15.0),
                told(t)
            );
        }
    }

    /// Level lines, about `wanted` of them, each with its number.
    pub(crate) fn level(&self, s: &mut String, wanted: usize, paint: Paint) {
        let (grid, mid) = (paint.colour("grid"), paint.colour("mid"));
        for t in self.y.ticks(wanted) {
            let at = n(self.y.at(t));
            let _ = write!(
                s,
                r#"<line x1="{}" x2="{}" y1="{at}" y2="{at}" stroke="{grid}"/><text x="{}" y="{}" text-anchor="end" font-size="12" fill="{mid}">{}</text>"#,
                self.left,
                self.right,
                self.left - 6.0,
                n(self.y.at(t) + 4.0),
                n(t)
            );
        }
    }

    /// What stands upright, at the head, and what lies along, at the foot `foot` px down.
    pub(crate) fn words(&self, s: &mut String, value: &str, along: &str, foot: f64, paint: Paint) {
        let _ = write!(
            s,
            r#"<text x="{}" y="14" font-size="12" font-weight="650" fill="{}">{}</text><text x="{}" y="{}" text-anchor="end" font-size="12" fill="{}">{}</text>"#,
            self.left,
            paint.colour("ink"),
            escape(value),
            self.right,
            n(foot),
            paint.colour("mid"),
            escape(along)
        );
    }
}
