//! Many days at once: what was found, day by day, before one press stores it.

use super::{InboxFragment, RunFragment, Shell};
use askama::Template;

pub(crate) struct CatalogueDay {
    pub(crate) id: i64,
    pub(crate) date: String,
    pub(crate) vehicle: String,
    /// Sets that are stored on it.
    pub(crate) stored: usize,
    /// Units nobody has said yet.
    pub(crate) questions: usize,
    /// Number of its first set in the form.
    pub(crate) first: usize,
    pub(crate) inbox: InboxFragment,
    pub(crate) run: Option<RunFragment>,
}

#[derive(Template, Default)]
#[template(path = "catalogue.html")]
pub(crate) struct CataloguePage {
    pub(crate) shell: Shell,
    pub(crate) vehicles: Vec<(i64, String)>,
    pub(crate) cells: Vec<String>,
    pub(crate) days: Vec<CatalogueDay>,
    /// Files taken in, and what was left and why.
    pub(crate) taken: Option<(usize, Vec<String>)>,
    pub(crate) problem: String,
    /// Names offered.
    pub(crate) maps: Vec<String>,
    pub(crate) fuels: Vec<String>,
    /// Sets that wait.
    pub(crate) waiting: usize,
}

impl CataloguePage {
    /// Adds a day; its sets are numbered behind those before it.
    pub(crate) fn add(&mut self, mut day: CatalogueDay) {
        day.first = self.waiting;
        if day.run.is_none() {
            self.waiting += day.inbox.proposals.len();
        }
        for (all, own) in [(&mut self.maps, &day.inbox.maps), (&mut self.fuels, &day.inbox.fuels)] {
            all.extend(own.iter().filter(|n| !all.contains(n)).cloned().collect::<Vec<_>>());
        }
        self.days.push(day);
    }

    /// The sets as they were typed.
    pub(crate) fn keep_typed(&mut self, fields: &[(String, String)]) {
        let typed = |name: &str, n: usize| {
            let key = format!("{name}.{n}");
            fields.iter().find(|f| f.0 == key).map(|f| f.1.clone())
        };
        for d in &mut self.days {
            for (k, p) in d.inbox.proposals.iter_mut().enumerate() {
                let n = d.first + k;
                for (name, slot) in [
                    ("map", &mut p.map),
                    ("fuel", &mut p.fuel),
                    ("boost", &mut p.boost),
                    ("gear", &mut p.gear),
                    ("build", &mut p.build),
                ] {
                    if let Some(v) = typed(name, n) {
                        *slot = v;
                    }
                }
            }
        }
    }

    /// Ids of the days, for addresses.
    pub(crate) fn ids(&self) -> String {
        self.days.iter().map(|d| d.id.to_string()).collect::<Vec<_>>().join(",")
    }
}
