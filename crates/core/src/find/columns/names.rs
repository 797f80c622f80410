//! Names by number.

use std::collections::HashMap;

/// Names of one column, each with a small number.
#[derive(Debug, Clone, Default)]
pub(in crate::find) struct Names {
    pub(in crate::find) all: Vec<String>,
    pub(in crate::find) lower: Vec<String>,
    of: HashMap<String, u16>,
}

impl Names {
    /// The number of a name; names beyond 65,535 share the last number.
    pub(super) fn number(&mut self, name: &str) -> u16 {
        if let Some(n) = self.of.get(name) {
            return *n;
        }
        let n = self.all.len().min(usize::from(u16::MAX)) as u16;
        if usize::from(n) == self.all.len() {
            self.all.push(name.to_owned());
            self.lower.push(name.to_lowercase());
        }
        self.of.insert(name.to_owned(), n);
        n
    }
}

/// Numbers of names in columns: vehicle, build, map, fuel, boost, gear, limit, ended, aligned.
pub(in crate::find) const NAMED: usize = 9;

/// Columns of names, in the order of the index.
pub(in crate::find) const VEHICLE: usize = 0;
pub(in crate::find) const BUILD: usize = 1;
pub(in crate::find) const MAP: usize = 2;
pub(in crate::find) const FUEL: usize = 3;
pub(in crate::find) const BOOST: usize = 4;
pub(in crate::find) const GEAR: usize = 5;
pub(in crate::find) const LIMIT: usize = 6;
pub(in crate::find) const ENDED: usize = 7;
pub(in crate::find) const ALIGNED: usize = 8;
