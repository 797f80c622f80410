//! Repeats the size of a word: a dot each, their mean with its interval.

use crate::svg::n;

/// Values over a shared axis `0..=top`, a bar over the interval of their mean. Decorative: the figures stand beside it.
pub fn dots_svg(values: &[f64], interval: Option<[f64; 2]>, top: f64) -> String {
    const SIZE: (f64, f64) = (180.0, 22.0);
    let x = |v: f64| 4.0 + (SIZE.0 - 8.0) * (v / top.max(1e-9)).clamp(0.0, 1.0);
    let bar = interval.map_or(String::new(), |[a, b]| {
        format!(
            "<path d=\"M{} 11H{}\" stroke=\"currentColor\" stroke-width=\"5\" opacity=\"0.25\"/>",
            n(x(a)),
            n(x(b))
        )
    });
    let dots: String = values
        .iter()
        .map(|v| format!("<circle cx=\"{}\" cy=\"11\" r=\"3\" fill=\"none\" stroke=\"currentColor\" stroke-width=\"1.4\"/>", n(x(*v))))
        .collect();
    format!(
        "<svg class=\"dots\" viewBox=\"0 0 {w} {h}\" width=\"{w}\" height=\"{h}\" aria-hidden=\"true\"><path d=\"M4 20H{e}\" stroke=\"currentColor\" stroke-width=\"0.6\"/>{bar}{dots}</svg>",
        w = n(SIZE.0),
        h = n(SIZE.1),
        e = n(SIZE.0 - 4.0)
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_value_is_a_dot_and_none_leaves_the_axis() {
        let svg = dots_svg(&[0.2, 0.4, 3.0], Some([0.1, 0.5]), 0.8);
        assert_eq!(svg.matches("<circle").count(), 3);
        assert!(
            svg.contains("cx=\"47\"") && svg.contains("cx=\"90\"") && svg.contains("cx=\"176\""),
            "{svg}"
        );
        assert_eq!(dots_svg(&[], None, 1.0).matches("opacity").count(), 0);
    }
}
