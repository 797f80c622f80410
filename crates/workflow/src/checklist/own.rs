//! What a shop made of the list for its engines and dynos: lines of its own, lines left out, windows of its own.

use super::{Item, usual};
use jamjar_core::analysis::{Ignition, Vehicle};
use jamjar_core::health::Takes;
use jamjar_core::pull::dyno::DynoKind;
use jamjar_store::Checklist;
use serde::{Deserialize, Serialize};

/// An engine on a dyno.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct On {
    pub engine: Ignition,
    pub dyno: DynoKind,
}

impl On {
    /// Those of a vehicle.
    pub fn of(v: &Vehicle) -> Self {
        Self { engine: v.engine.ignition, dyno: v.dyno.kind }
    }
}

/// Which engines and dynos something is for; blank is any.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct For {
    pub engine: Option<Ignition>,
    pub dyno: Option<DynoKind>,
}

impl For {
    fn fits(self, on: On) -> bool {
        self.engine.is_none_or(|e| e == on.engine) && self.dyno.is_none_or(|d| d == on.dyno)
    }

    /// One it is for: what is blank stands for spark ignition, and for a hub dyno.
    pub fn one(self) -> On {
        On { engine: self.engine.unwrap_or_default(), dyno: self.dyno.unwrap_or(DynoKind::Hub) }
    }

    /// How much it says: the more, the later it is applied.
    fn says(self) -> usize {
        usize::from(self.engine.is_some()) + usize::from(self.dyno.is_some())
    }
}

/// A line of the shop's own.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct OwnCheck {
    /// The line.
    pub item: Item,
    /// What it is for.
    pub only: For,
    /// Taken off the list: days that answered it still show it.
    pub gone: bool,
}

/// What was done to a line.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Change {
    /// It is not asked.
    LeftOut,
    /// It is good within these.
    Within(Vec<f64>),
}

/// A line that is asked otherwise.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Changed {
    pub id: String,
    pub only: For,
    pub change: Change,
}

/// Everything a shop made of the list.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct OwnChecks {
    pub own: Vec<OwnCheck>,
    pub changed: Vec<Changed>,
}

impl OwnChecks {
    /// Reads what was kept; a blank text is nothing.
    ///
    /// # Errors
    /// [`serde_json::Error`] for a text that is none of its own.
    pub fn of(kept: &str) -> Result<Self, serde_json::Error> {
        if kept.is_empty() { Ok(Self::default()) } else { serde_json::from_str(kept) }
    }

    /// The list for an engine on a dyno, in the order it is walked; lines that are asked no more and were answered on this
    /// day stay. What keeps people whole is never left out.
    pub fn list(&self, on: On, answers: &Checklist) -> Vec<Item> {
        let answered = |i: &Item| answers.contains_key(&i.id) || !i.written(answers).is_empty();
        let mut changes: Vec<&Changed> = self.changed.iter().filter(|c| c.only.fits(on)).collect();
        changes.sort_by_key(|c| c.only.says());
        let mut out: Vec<Item> = usual();
        let own = self.own.iter().filter(|o| o.only.fits(on) && !o.gone || answered(&o.item));
        for o in own {
            // After the last of its group; what keeps people whole, after the last of those.
            let after = |i: &Item| if o.item.guards { i.guards } else { i.group == o.item.group };
            let at = out.iter().rposition(after).map_or(out.len(), |k| k + 1);
            out.insert(at, o.item.clone());
        }
        out.retain_mut(|i| {
            let mut asked = true;
            for c in changes.iter().filter(|c| c.id == i.id) {
                match &c.change {
                    Change::LeftOut => asked = i.guards || answered(i),
                    Change::Within(bounds) => {
                        i.takes = i.takes.as_ref().map(|t| t.bounded(bounds).unwrap_or_else(|| t.clone()));
                    }
                }
            }
            asked
        });
        out
    }

    /// Adds a line, under an id that no other has had.
    pub fn add(&mut self, item: Item, only: For) {
        let id = format!("own{}", self.own.len() + 1);
        self.own.push(OwnCheck { item: Item { id, ..item }, only, gone: false });
    }

    /// Does something to a line for some engines and dynos, instead of what was done there before; `None` undoes it.
    pub fn change(&mut self, id: &str, only: For, change: Option<Change>) {
        let kind = |c: &Change| matches!(c, Change::LeftOut);
        let undone = |c: &Changed| {
            c.id == id && c.only == only && change.as_ref().is_none_or(|new| kind(new) == kind(&c.change))
        };
        self.changed.retain(|c| !undone(c));
        self.changed.extend(change.map(|change| Changed { id: id.to_owned(), only, change }));
    }

    /// Takes a line of one's own off the list.
    pub fn drop_own(&mut self, id: &str) {
        self.own.iter_mut().filter(|o| o.item.id == id).for_each(|o| o.gone = true);
    }
}

/// What a line of one's own may take beside a tick, by the id the pages give it; bounds are those of
/// [`Takes::bounds`].
pub fn takes(kind: &str, unit: &str, bounds: &[f64]) -> Option<Takes> {
    let unit = unit.to_owned().into();
    let blank = match kind {
        "number" => Takes::Number { unit, window: [0.0, 1.0] },
        "all" => Takes::All { unit, window: [0.0, 1.0] },
        "each" => Takes::Each { unit, spread: 0.1 },
        "held" => Takes::Held { share: 0.1 },
        "codes" => return Some(Takes::Codes),
        "words" => return Some(Takes::Words),
        _ => return None,
    };
    blank.bounded(bounds)
}

#[cfg(test)]
mod tests {
    use super::*;

    const PETROL_ON_HUBS: On = On { engine: Ignition::Spark, dyno: DynoKind::Hub };
    const DIESEL_ON_ROLLERS: On = On { engine: Ignition::Compression, dyno: DynoKind::RollerBrake };

    fn ids(own: &OwnChecks, on: On, answers: &Checklist) -> Vec<String> {
        own.list(on, answers).into_iter().map(|i| i.id).collect()
    }

    fn own(group: &str, guards: bool) -> Item {
        Item {
            id: String::new(),
            group: group.into(),
            text: "Hub adapters torqued".into(),
            guards,
            takes: takes("number", "N·m", &[110.0, 130.0]),
            does: String::new(),
        }
    }

    #[test]
    fn a_line_of_ones_own_stands_where_it_belongs_and_only_where_it_is_for() {
        let mut checks = OwnChecks::default();
        checks.add(own("Cell", true), For { engine: None, dyno: Some(DynoKind::Hub) });
        checks.add(own("Vehicle", false), For::default());
        let blank = Checklist::new();
        let hubs = checks.list(PETROL_ON_HUBS, &blank);
        let last_guard = hubs.iter().rposition(|i| i.guards).unwrap();
        assert!(hubs[last_guard].id == "own1" && hubs[..=last_guard].iter().all(|i| i.guards));
        let at = hubs.iter().position(|i| i.id == "own2").unwrap();
        assert!(hubs[at - 1].group == "Vehicle" && hubs[at + 1].group == "Running state");
        assert!(!ids(&checks, DIESEL_ON_ROLLERS, &blank).contains(&"own1".to_owned()));
    }

    #[test]
    fn a_line_is_left_out_where_it_is_said_and_never_one_that_keeps_people_whole() {
        let mut checks = OwnChecks::default();
        let diesel = For { engine: Some(Ignition::Compression), dyno: None };
        checks.change("plugs", diesel, Some(Change::LeftOut));
        checks.change("straps", For::default(), Some(Change::LeftOut));
        let blank = Checklist::new();
        assert!(ids(&checks, PETROL_ON_HUBS, &blank).contains(&"plugs".to_owned()));
        assert!(!ids(&checks, DIESEL_ON_ROLLERS, &blank).contains(&"plugs".to_owned()));
        assert!(ids(&checks, DIESEL_ON_ROLLERS, &blank).contains(&"straps".to_owned()));
        let answered = Checklist::from([("plugs".into(), "yes".into())]);
        assert!(
            ids(&checks, DIESEL_ON_ROLLERS, &answered).contains(&"plugs".to_owned()),
            "an answer is never hidden"
        );
        checks.change("plugs", diesel, None);
        assert!(ids(&checks, DIESEL_ON_ROLLERS, &blank).contains(&"plugs".to_owned()));
    }

    #[test]
    fn windows_are_ones_own_and_the_closer_word_counts() {
        let mut checks = OwnChecks::default();
        let spark = For { engine: Some(Ignition::Spark), dyno: None };
        checks.change("warm", spark, Some(Change::Within(vec![85.0, 105.0])));
        checks.change("warm", For::default(), Some(Change::Within(vec![60.0, 110.0])));
        let oil = |on: On| {
            let all = checks.list(on, &Checklist::new());
            all.iter().find(|i| i.id == "warm").unwrap().takes.as_ref().unwrap().bounds()
        };
        assert_eq!((oil(PETROL_ON_HUBS), oil(DIESEL_ON_ROLLERS)), (vec![85.0, 105.0], vec![60.0, 110.0]));
    }

    #[test]
    fn a_line_that_was_answered_outlives_its_removal_and_its_id_is_never_given_again() {
        let mut checks = OwnChecks::default();
        checks.add(own("Vehicle", false), For::default());
        checks.drop_own("own1");
        assert!(!ids(&checks, PETROL_ON_HUBS, &Checklist::new()).contains(&"own1".to_owned()));
        let answered = Checklist::from([("own1.value".into(), "120".into())]);
        assert!(ids(&checks, PETROL_ON_HUBS, &answered).contains(&"own1".to_owned()));
        checks.add(own("Vehicle", false), For::default());
        assert_eq!(checks.own[1].item.id, "own2");
        let kept = serde_json::to_string(&checks).unwrap();
        assert_eq!(OwnChecks::of(&kept).unwrap(), checks);
        assert_eq!(OwnChecks::of("").unwrap(), OwnChecks::default());
    }
}
