//! Verdicts on limits, in words.

use crate::channel::Channel;
use crate::limits::{Limit, LimitOutcome, Load, Reach, StandIn, Verdict, Wanted, Why};

/// What a limit says of a set, in words: "λ 1 over from 5900 rpm", "λ 1 clear, 0.04 left at 5900 rpm".
pub fn limit_sentence(limit: &Limit, o: &LimitOutcome) -> String {
    let label = limit.channel.label();
    let unit = match limit.channel.unit() {
        "" | "λ" => String::new(),
        u => format!(" {u}"),
    };
    let at = o.rpm.map_or(String::new(), |r| format!(" at {:.0} rpm", (r / 10.0).round() * 10.0));
    let digits = if limit.channel.unit() == "λ" { 3 } else { 1 };
    match (o.verdict, o.margin) {
        (Verdict::Over, Some(m)) => format!("{label} over its limit by {:.digits$}{unit}{at}", -m),
        (Verdict::Close | Verdict::Clear, Some(m)) => {
            format!("{label} {}, {m:.digits$}{unit} left{at}", o.verdict.label())
        }
        (
            v @ (Verdict::Over
            | Verdict::Close
            | Verdict::Clear
            | Verdict::CantTell
            | Verdict::NotMeasured
            | Verdict::NotReached),
            _,
        ) => match &o.why {
            Some(w) => format!("{label} {}: {}", v.label(), why(w)),
            None => format!("{label} {}", v.label()),
        },
    }
}

/// Why a verdict is what it is, and how far it reaches.
pub fn why(w: &Why) -> String {
    match w {
        Why::Crossed { channel, above, for_s, fuel_was_cut } => {
            let (side, cut) = (if *above { "above" } else { "below" }, if *fuel_was_cut { ", while fuel was cut" } else { "" });
            format!("{} {side} the limit for {for_s:.2} s{cut}", channel.label())
        }
        Why::Reaches(r) => reach(r),
        Why::NotLogged { channel, wanted } => {
            let so = match wanted {
                Wanted::ItIsJudged => "",
                Wanted::Gate => ", so the gate cannot be judged",
                Wanted::Curve => ", so the threshold curve cannot be read",
            };
            format!("{} was not logged{so}", channel.label())
        }
        Why::NotInPull { channel } => format!("{} has no value in this pull", channel.label()),
        Why::NotAligned { channel } => format!("needs {} from the other log, and the two logs are not aligned", channel.label()),
        Why::WhichPull => "the engine computer's log holds several pulls and is not aligned: which of them is this one is not known".into(),
        Why::NoWholePull { channel } => format!("the log that holds {} shows no whole pull and is not aligned with the dyno's", channel.label()),
        Why::EndsEarly { channel, until_s, pull_until_s, log_ends, missing_s } => {
            let what = if *log_ends { "its log ends" } else { "it has no value from there on" };
            let label = channel.label();
            format!("{label} was measured until {until_s:.2} s, the pull ran until {pull_until_s:.2} s: {what}, {missing_s:.1} s are missing")
        }
        Why::Hole { channel, missing_s, from_s, longest_s } => {
            let label = channel.label();
            format!("{label} has no value for {missing_s:.2} s inside the gate, from {from_s:.2} s: longer than {longest_s:.2} s")
        }
        Why::GateBlank { from_s } => format!("the gate cannot be judged from {from_s:.2} s: a channel it needs is blank there"),
        Why::NeverGated => "the gate was never true".into(),
        Why::NeverHeld { sustain_s } => format!("the gate never held for {sustain_s} s"),
        Why::CurveEnds => "the threshold curve does not reach over the whole gated range".into(),
        Why::EndOfRange { channel, value, from_s, to_s } => {
            let label = channel.label();
            format!("{label} sat at the end of its range ({value}) from {from_s:.2} to {to_s:.2} s, short of the limit: beyond is unknown")
        }
        Why::StoodStill { channel, value, from_s, to_s } => {
            format!("{} stood still at {value} from {from_s:.2} to {to_s:.2} s: frozen sensor?", channel.label())
        }
        Why::StoodStillHere { channel, value } => stood_still_here(channel, *value),
        Why::DeafLevel { channel } => format!("{} does not grow with engine speed: it may not hear the engine", channel.label()),
        Why::DeafRetard { channel } => format!(
            "{} stayed at nothing and no live knock level stands beside it: nobody knows whether knock control was listening",
            channel.label()
        ),
    }
}

pub(super) fn stood_still_here(channel: &Channel, value: f64) -> String {
    format!(
        "{} stood still at {value} through this pull and moved in the others: frozen sensor?",
        channel.label()
    )
}

fn reach(r: &Reach) -> String {
    let mut out: Vec<String> = Vec::new();
    out.extend(r.top_rpm.map(|rpm| format!("measured up to {:.0} rpm", (rpm / 10.0).floor() * 10.0)));
    out.extend(r.log_ends.then(|| "end of log".to_owned()));
    out.extend(r.load.map(|l| match l {
        Load::Held(s) => format!("one speed held for {s:.0} s at most, not sustained load"),
        Load::Sweep => "for a sweep, not sustained load".to_owned(),
    }));
    out.extend(r.stand_ins.iter().map(|s| match s {
        StandIn::Channel { has, wanted } => format!("{has} stands for {wanted}"),
        StandIn::Sweep { wanted } => {
            format!("no {wanted} on record: the detected full-load sweep stands for it")
        }
        StandIn::FullLoad { reads } => format!("full load reads {reads:.0} % here and is taken as 100 %"),
    }));
    out.join(", ")
}
