//! The lower panel: one thin lane for each limit, the share of its margin used.

use super::{Frame, LANE, usual_gap};
use crate::svg::{escape, n, shorten};
use std::fmt::Write;

/// A held speed is a bar of its own, not a stretch of the axis.
const WIDEST_CELL: f64 = 14.0;

impl Frame<'_> {
    /// Returns its lower edge.
    pub(super) fn lanes(&mut self, top: f64) -> f64 {
        self.title(top + 8.0, &self.chart.lane_title.clone());
        let mut y = top + 8.0 + 6.0 * self.k;
        let (left, right) = (self.left, self.right);
        let tone =
            self.chart.series.get(self.chart.focus).map_or_else(String::new, |s| self.colour(s.tone.name()));
        let gap = usual_gap(&self.chart.lane_rpm);
        for lane in &self.chart.lanes {
            let height = (LANE - 5.0) * self.k;
            match &lane.share {
                None => {
                    let _ = write!(
                        self.out,
                        r#"<rect x="{}" y="{}" width="{}" height="{}" fill="none" stroke="{}" stroke-dasharray="3 3"/>"#,
                        n(left),
                        n(y),
                        n(right - left),
                        n(height),
                        self.colour("mid")
                    );
                }
                Some(share) => {
                    let cell = (self.x.at(gap) - self.x.at(0.0)).clamp(1.0, WIDEST_CELL * self.k);
                    for (rpm, v) in
                        self.chart.lane_rpm.iter().zip(share).filter_map(|(r, v)| v.map(|v| (r, v)))
                    {
                        let h = (v.clamp(0.04, 1.0)) * height;
                        let (from, to) = (
                            (self.x.at(*rpm) - cell / 2.0).max(left),
                            (self.x.at(*rpm) + cell / 2.0 + 0.4).min(right),
                        );
                        if from >= to {
                            continue;
                        }
                        let (fill, opacity) = if v > 1.0 {
                            (self.colour("rosehip"), ".95")
                        } else if v > 0.75 {
                            (tone.clone(), ".9")
                        } else {
                            (tone.clone(), ".45")
                        };
                        let _ = write!(
                            self.out,
                            r#"<rect x="{}" y="{}" width="{}" height="{}" fill="{fill}" fill-opacity="{opacity}"/>"#,
                            n(from),
                            n(y + height - h),
                            n(to - from),
                            n(h)
                        );
                    }
                    self.line(left, y + height, right, y + height, "rule", "");
                    self.line(left, y, right, y, "rule", "stroke-dasharray=\"1 3\"");
                }
            }
            let _ = write!(
                self.out,
                r#"<text x="{}" y="{}" font-family="{}" font-size="{}" font-weight="600" fill="{}" stroke="{}" stroke-width="3" paint-order="stroke">{}</text>"#,
                n(left + 6.0),
                n(y + 12.0 * self.k),
                self.paint.font("text"),
                n(12.5 * self.k),
                self.colour("ink"),
                self.colour("paper"),
                escape(&shorten(&lane.label, 44))
            );
            let (colour, weight) = if lane.over {
                ("rosehip", 700)
            } else if lane.unknown {
                ("ink", 700)
            } else {
                ("mid", 400)
            };
            self.text(
                right + 18.0,
                y + 12.0 * self.k,
                "start",
                "text",
                12.5,
                weight,
                colour,
                &shorten(&lane.note, 25),
            );
            y += LANE * self.k;
        }
        y - 3.0
    }
}
