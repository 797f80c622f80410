//! The octane a fuel's name states.

/// The number behind RON, MON or AKI in the name of a fuel, with its scale: "RON 98 E5" is 98 RON. Numbers of different
/// scales do not compare (domain, section 6).
///
/// ```
/// use jamjar_core::factors::octane::stated_octane;
/// assert_eq!(stated_octane("RON 98 E5"), Some(("RON", 98.0)));
/// assert_eq!(stated_octane("pump 93 AKI"), Some(("AKI", 93.0)));
/// assert_eq!(stated_octane("E85"), None);
/// ```
pub fn stated_octane(fuel: &str) -> Option<(&'static str, f64)> {
    let words: Vec<&str> = fuel.split([' ', ',', '(', ')']).filter(|w| !w.is_empty()).collect();
    let number = |i: Option<usize>| {
        let v: f64 = words.get(i?)?.parse().ok()?;
        (60.0..=130.0).contains(&v).then_some(v)
    };
    words.iter().enumerate().find_map(|(i, w)| {
        ["RON", "MON", "AKI"].into_iter().find_map(|scale| {
            let together = w.strip_prefix(scale).filter(|r| !r.is_empty());
            let v = match together {
                Some(rest) => rest.parse().ok().filter(|v| (60.0..=130.0).contains(v)),
                None if *w == scale => number(Some(i + 1)).or_else(|| number(i.checked_sub(1))),
                None => None,
            };
            v.map(|v| (scale, v))
        })
    })
}
