//! What a figure rests on, above the pull it was read from.

use crate::prefs::Prefs;
use crate::views::common::{FigureAsked, in_unit, unit_of};
use jamjar_core::analysis::Figure;
use jamjar_workflow::evidence::{Evidence, mean_of};

pub(crate) struct EvidenceRow {
    pub(crate) name: String,
    pub(crate) value: String,
    pub(crate) read: String,
    pub(crate) state: String,
    /// Empty for the pull of the page.
    pub(crate) href: String,
}

pub(crate) struct EvidenceView {
    pub(crate) sentence: String,
    pub(crate) rows: Vec<EvidenceRow>,
    pub(crate) back: String,
    /// Stretch of engine speed to mark on the page's pull, rpm.
    pub(crate) region: Option<[f64; 2]>,
}

/// `here` is the pull of the page.
pub(crate) fn evidence_view(asked: &FigureAsked, all: &[Evidence], here: i64, prefs: &Prefs) -> EvidenceView {
    let f = asked.figure;
    let digits = if f == Figure::PlateauRpm { 0 } else { 1 };
    let (u, v) = (unit_of(f, prefs), |x: f64| in_unit(f, x, prefs));
    let sentence = match mean_of(all) {
        None => format!("The set has no {}: no pull that counts covers it.", f.label()),
        Some((m, n)) => {
            let of = format!("{n} of {} pulls", all.len());
            format!("The set's {} is {:.digits$} {u}, the mean of {of}.", f.label(), v(m))
        }
    };
    let row = |e: &Evidence| EvidenceRow {
        name: format!("pull {}", e.position),
        value: e.value.map_or_else(|| "not covered".into(), |x| format!("{:.digits$} {u}", v(x))),
        read: match e.read_at {
            Some([a, b]) if a.total_cmp(&b).is_eq() => format!("at {a:.0} rpm"),
            Some([a, b]) => format!("{a:.0} to {b:.0} rpm"),
            None => String::new(),
        },
        state: e.excluded.as_ref().map_or_else(String::new, |why| format!("left out: {why}")),
        href: if e.pull_id == here {
            String::new()
        } else {
            format!("/pulls/{}?{}", e.pull_id, asked.query(e.read_at))
        },
    };
    let region = all.iter().find(|e| e.pull_id == here).and_then(|e| e.read_at);
    EvidenceView { sentence, rows: all.iter().map(row).collect(), back: asked.back.clone(), region }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jamjar_core::figures::Looks;

    fn pull(pull_id: i64, value: f64, excluded: Option<&str>) -> Evidence {
        Evidence {
            pull_id,
            position: pull_id as usize,
            value: Some(value),
            read_at: Some([3000.0, 6500.0]),
            excluded: excluded.map(Into::into),
        }
    }

    #[test]
    fn the_mean_leaves_out_what_was_left_out_and_says_so() {
        let asked =
            FigureAsked::new("band_mean_power", "3000-6500", "set=1&set=2", Looks::default()).unwrap();
        assert_eq!(asked.looks.band_rpm, Some([3000.0, 6500.0]));
        let v = evidence_view(
            &asked,
            &[pull(1, 80.0, None), pull(2, 82.0, None), pull(3, 50.0, Some("wrong gear"))],
            2,
            &Prefs::default(),
        );
        assert_eq!(v.sentence, "The set's band mean power is 81.0 kW, the mean of 2 of 3 pulls.");
        assert_eq!((v.rows[2].state.as_str(), v.rows[1].href.as_str()), ("left out: wrong gear", ""));
        assert!(v.rows[0].href.contains(
            "/pulls/1?axis=rpm&figure=band_mean_power&read=3000-6500&from=2500&to=7000&back=set%3D1%26set%3D2"
        ));
        assert_eq!(v.region, Some([3000.0, 6500.0]));
        let none = evidence_view(&asked, &[pull(1, 80.0, Some("abort"))], 1, &Prefs::default());
        assert!(none.sentence.contains("no pull that counts"));
        assert!(FigureAsked::new("beauty", "", "", Looks::default()).is_none());
    }
}
