//! Scenarios: the built-in ones, and a person's own from a file with its maps beside it.

use jamjar_core::maps::MapFile;
use jamjar_formats::read_map;
use jamjar_sim::{Scenario, ScenarioError, Simulated, simulate};
use std::collections::BTreeMap;
use std::path::Path;

/// A scenario with its maps read; the text of each map is kept to be handed out whole.
#[derive(Debug, Clone)]
pub struct Loaded {
    /// The scenario.
    pub scenario: Scenario,
    /// Maps by name.
    pub maps: BTreeMap<String, MapFile>,
    /// File name and text of each map, by name.
    pub texts: BTreeMap<String, (String, String)>,
}

macro_rules! built_in {
    ($($name:literal => $file:literal),* $(,)?) => {
        /// Built-in scenarios by name.
        pub const BUILT_IN: &[(&str, &str)] = &[$(($name, include_str!(concat!("../scenarios/", $file)))),*];
    };
}
built_in! {
    "first-light" => "first-light.toml",
    "tolvern" => "tolvern.toml",
    "marrow" => "marrow.toml",
    "quillet" => "quillet.toml",
    "brae" => "brae.toml",
    "later" => "later.toml",
}

macro_rules! built_in_maps {
    ($($file:literal),* $(,)?) => {
        const MAPS: &[(&str, &str)] = &[$((concat!("maps/", $file), include_str!(concat!("../scenarios/maps/", $file)))),*];
    };
}
built_in_maps! {
    "tolvern-stock.map", "tolvern-harbour-a.map", "tolvern-c1.map", "tolvern-c2.map", "tolvern-c3.map", "tolvern-c4.map", "tolvern-c5.map", "tolvern-c6.map",
    "marrow-stock.map", "marrow-m1.map", "marrow-m2.map", "quillet-stock.map", "quillet-q1.map", "quillet-q2.map", "brae-stock.map",
}

fn assemble(name: &str, text: &str, read: impl Fn(&str) -> Result<String, String>) -> Result<Loaded, String> {
    let scenario = Scenario::parse(text).map_err(|e| at(name, &e))?;
    let (mut maps, mut texts) = (BTreeMap::new(), BTreeMap::new());
    for m in &scenario.map {
        let text = read(&m.file)?;
        let map = read_map(&text, &m.file).map_err(|e| e.to_string())?;
        maps.insert(m.name.clone(), map);
        let file = m.file.rsplit('/').next().unwrap_or(&m.file).to_owned();
        texts.insert(m.name.clone(), (file, text));
    }
    Ok(Loaded { scenario, maps, texts })
}

/// `file:line:column: problem`, with what is known of the place.
fn at(name: &str, e: &ScenarioError) -> String {
    if e.line.is_some() { format!("{name}:{e}") } else { format!("{name}: {e}") }
}

/// A built-in scenario.
///
/// # Errors
/// A sentence naming those there are.
pub fn built_in(name: &str) -> Result<Loaded, String> {
    let Some((_, text)) = BUILT_IN.iter().find(|(n, _)| *n == name) else {
        let names: Vec<&str> = BUILT_IN.iter().map(|(n, _)| *n).collect();
        return Err(format!(
            "there is no scenario “{name}”; there are: {}; or give the path of a scenario file",
            names.join(", ")
        ));
    };
    assemble(name, text, |file| {
        MAPS.iter()
            .find(|(n, _)| *n == file)
            .map(|(_, t)| (*t).to_owned())
            .ok_or_else(|| format!("{name}: there is no built-in map {file}"))
    })
}

/// A built-in scenario by name, or one from a file.
///
/// # Errors
/// A sentence with file, line and column.
pub fn open(name: &str) -> Result<Loaded, String> {
    let path = Path::new(name);
    if !path.is_file() {
        return built_in(name);
    }
    let text = std::fs::read_to_string(path).map_err(|e| format!("{name}: cannot be read: {e}"))?;
    let folder = path.parent().unwrap_or(Path::new("."));
    assemble(name, &text, |file| {
        let at = folder.join(file);
        std::fs::read_to_string(&at).map_err(|e| format!("{}: cannot be read: {e}", at.display()))
    })
}

impl Loaded {
    /// Runs it; `seed` and `mounting` (scatter between mountings, as a share) replace the scenario's own.
    ///
    /// # Errors
    /// A sentence when a map does not fit the engine.
    pub fn run(&self, seed: Option<u64>, mounting: Option<f64>) -> Result<Simulated, String> {
        let mut s = self.scenario.clone();
        s.seed = seed.unwrap_or(s.seed);
        s.cell.mounting_scatter = mounting.unwrap_or(s.cell.mounting_scatter);
        simulate(&s, &self.maps).map_err(|e| e.to_string())
    }
}

/// The first day with custom maps, from another seed and with another scatter between mountings: what tests
/// and studies start from.
///
/// # Errors
/// A sentence when the built-in scenario is broken.
pub fn first_light(seed: u64, mounting: f64) -> Result<(Loaded, Simulated), String> {
    let l = built_in("first-light")?;
    let run = l.run(Some(seed), Some(mounting))?;
    Ok((l, run))
}
