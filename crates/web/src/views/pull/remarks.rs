//! What was remarked on a pull in threads.

use jamjar_core::channel::Channel;
use jamjar_store::{Step, Thread};
use jamjar_workflow::reading::Reading;

pub(crate) struct RemarkRow {
    pub(crate) number: usize,
    /// Channel and moment.
    pub(crate) of: String,
    pub(crate) words: String,
    pub(crate) by: String,
    pub(crate) thread_id: i64,
    pub(crate) title: String,
}

pub(super) fn remark_rows(r: &Reading, all: &[(Thread, Step)]) -> Vec<RemarkRow> {
    let begins = r.measured.span.map_or(0.0, |s| s.from_s);
    let row = |(i, (t, s)): (usize, &(Thread, Step))| {
        let channel = s.channel.as_deref().and_then(|c| Channel::new(c).ok()).map(|c| c.label());
        let moment = s.at_s.map(|at| format!("{:.1} s after tip-in", at - begins));
        RemarkRow {
            number: i + 1,
            of: [channel, moment].into_iter().flatten().collect::<Vec<_>>().join(", "),
            words: s.words.clone(),
            by: s.by.clone(),
            thread_id: t.id,
            title: t.title.clone(),
        }
    };
    all.iter().enumerate().map(row).collect()
}
