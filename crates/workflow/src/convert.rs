//! A recording from one open form into another: nothing is resampled, no column of numbers is left behind.

use jamjar_core::channel::Channel;
use jamjar_core::log::Recording;
use jamjar_core::units::Unit;
use jamjar_formats::{
    FormatError, LogForm, Mapping, OutLog, Rule, bare, dialect_of, read_log, write_recordings, written_unit,
};
use std::collections::HashMap;
use std::io::{self, Read, Write};

/// A recording with every column of numbers, those nobody recognises under names of their own.
#[derive(Debug, Clone)]
pub struct Whole {
    /// The recording, known channels in canonical units.
    pub log: Recording,
    /// The unit of every channel.
    pub units: HashMap<Channel, String>,
}

/// Reads every column of numbers; `open` gives the file again from its start.
///
/// # Errors
/// [`FormatError`] as for [`read_log`].
pub fn read_whole<R: Read>(open: impl Fn() -> io::Result<R>, name: &str) -> Result<Whole, FormatError> {
    let opened = || open().map_err(|e| FormatError::unreadable(name, &e));
    let known = read_log(opened()?, name, &Mapping::default())?;
    let dialect = dialect_of(opened()?, name)?;
    let mut units: HashMap<Channel, String> = HashMap::new();
    let mut rules: Vec<Rule> = Vec::new();
    for (k, column) in known.columns.iter().enumerate().filter(|(_, c)| c.channel.is_none()) {
        let unit = dialect.units.get(k).cloned().unwrap_or_default();
        let plain = Channel::new(format!("column_{}", k + 1));
        // The unit behind a name is no part of it.
        let own = Channel::named(bare(&column.header), &unit).ok();
        let free = |c: &Channel| {
            c.kind().is_none() && !known.log.has(c.as_str()) && rules.iter().all(|r| r.channel != *c)
        };
        let Some(channel) = own.filter(free).or(plain.ok()) else { continue };
        units.insert(channel.clone(), unit);
        // As it stands: what nobody recognises, nobody converts.
        rules.push(Rule { channel, column: column.header.clone(), unit: Some(Unit::None) });
    }
    let with =
        |rules: &[Rule]| read_log(opened()?, name, &Mapping { rules: rules.to_vec(), ..Mapping::default() });
    let log = match with(&rules) {
        Ok(read) => read.log,
        // A column of words is no channel: it stays behind.
        Err(_) => {
            rules.retain(|r| with(std::slice::from_ref(r)).is_ok());
            with(&rules)?.log
        }
    };
    for c in log.channels.keys() {
        units.entry(c.clone()).or_insert_with(|| written_unit(c).to_owned());
    }
    Ok(Whole { log, units })
}

/// Writes a recording with every column of numbers in another form.
///
/// # Errors
/// Whatever writing refuses with.
pub fn write_whole(out: impl Write + Send, form: LogForm, name: &str, whole: &Whole) -> io::Result<()> {
    let log = OutLog { name, log: &whole.log, units: Some(&whole.units) };
    write_recordings(out, form, &[log], (name, 0))
}
