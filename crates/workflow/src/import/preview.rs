//! What a dropped file holds, before anything is committed.

use super::prints;
use super::report::{FilePreview, PreviewPull, source_of};
use crate::error::{WorkflowError, blocking, internal};
use crate::printed::named;
use jamjar_core::findings::Finding;
use jamjar_core::pull::detect::{detect, offered};
use jamjar_core::pull::load::Load;
use jamjar_core::pull::shaft::shaft_speed;
use jamjar_formats::csv::read_cells;
use jamjar_formats::dialect_of;
use jamjar_formats::finished::{FinishedColumns, read_finished};
use jamjar_formats::{FormatError, Mapping, ReadLog, read_log};
use jamjar_store::{NewInboxItem, Received, Role, Store};
use std::fs::File;
use std::path::Path;
use std::sync::Arc;

fn role_of(r: &ReadLog) -> Role {
    let log = &r.log;
    let torque = ["hub_torque", "brake_torque", "power"].iter().any(|c| log.has(c));
    let engine = ["lambda_1", "throttle", "manifold_pressure", "spark_advance", "injector_duty", "pedal"]
        .iter()
        .filter(|c| log.has(c))
        .count();
    if torque || log.has("roller_speed") {
        Role::Dyno
    } else if log.has("engine_speed") || engine >= 2 {
        Role::Ecu
    } else {
        Role::Unknown
    }
}

/// Reads a file and describes it. `ratio` brings shaft speed to engine speed for the pulls shown.
///
/// # Errors
/// [`FormatError`] with file, line and field.
pub fn preview(
    file: impl std::io::Read,
    name: &str,
    mapping: &Mapping,
    ratio: Option<f64>,
) -> Result<(Role, FilePreview), FormatError> {
    let r = read_log(file, name, mapping)?;
    let role = role_of(&r);
    let (speed, k) = match role {
        Role::Dyno => {
            (shaft_speed(&r.log, ratio), if r.log.has("roller_speed") { ratio.unwrap_or(1.0) } else { 1.0 })
        }
        _ => (r.log.series("engine_speed"), 1.0),
    };
    let pulls = speed.map_or_else(Vec::new, |s| {
        offered(detect(&s, &Load::from_log(&r.log), k))
            .into_iter()
            .map(|p| PreviewPull {
                from_s: p.from_s,
                to_s: p.to_s,
                from_rpm: p.from_rpm * k,
                to_rpm: p.to_rpm * k,
                ended_by: p.ended_by,
                kind: p.kind,
            })
            .collect()
    });
    let (from, to) = r.log.span().unwrap_or((0.0, 0.0));
    let findings = r.log.flags.iter().filter(|f| !matches!(f, Finding::UnitGuess { .. })).cloned().collect();
    Ok((
        role,
        FilePreview {
            rows: r.log.t.len(),
            seconds: to - from,
            columns: r.columns,
            questions: r.questions,
            pulls,
            findings,
            mapping: mapping.clone(),
            print: None,
        },
    ))
}

/// Previews a file with what is remembered of its source, and takes it into custody and the day's inbox.
///
/// # Errors
/// [`WorkflowError`] when it cannot be read or stored; then nothing is stored.
pub async fn drop_spooled(
    store: &Store,
    day_id: i64,
    ratio: Option<f64>,
    ambient_kpa: Option<f64>,
    name: &str,
    path: &Path,
) -> Result<Received, WorkflowError> {
    let (path, shown) = (path.to_owned(), name.to_owned());
    take(store, day_id, ratio, ambient_kpa, name, move || {
        File::open(&path).map_err(|e| internal(format!("{shown}: {e}")))
    })
    .await
}

/// The same for bytes that are in memory.
///
/// # Errors
/// As for [`drop_spooled`].
pub async fn take_in(
    store: &Store,
    day_id: i64,
    ratio: Option<f64>,
    ambient_kpa: Option<f64>,
    name: &str,
    bytes: Arc<Vec<u8>>,
) -> Result<Received, WorkflowError> {
    struct Shared(Arc<Vec<u8>>);
    impl AsRef<[u8]> for Shared {
        fn as_ref(&self) -> &[u8] {
            &self.0
        }
    }
    take(store, day_id, ratio, ambient_kpa, name, move || Ok(std::io::Cursor::new(Shared(bytes.clone()))))
        .await
}

async fn take<R: std::io::Read + Send + 'static>(
    store: &Store,
    day_id: i64,
    ratio: Option<f64>,
    ambient_kpa: Option<f64>,
    name: &str,
    open: impl Fn() -> Result<R, WorkflowError>,
) -> Result<Received, WorkflowError> {
    let item = described(store, day_id, ratio, ambient_kpa, name, [open()?, open()?, open()?]).await?;
    Ok(store.drop_file(&item, open()?).await?)
}

/// A file as the inbox keeps it: its source, and what reading it with what is remembered of that source
/// gives. It is read for its header, then whole, and as a table where it is no recording.
pub(super) async fn described<R: std::io::Read + Send + 'static>(
    store: &Store,
    day_id: i64,
    ratio: Option<f64>,
    ambient_kpa: Option<f64>,
    name: &str,
    thrice: [R; 3],
) -> Result<NewInboxItem, WorkflowError> {
    let [first, second, third] = thrice;
    let own_name = name.to_owned();
    let item = |role, source: String, report: &FilePreview| {
        let report = serde_json::to_string(report).map_err(internal)?;
        Ok(NewInboxItem { day_id, name: name.to_owned(), role, source, report })
    };
    let read = match blocking(move || dialect_of(first, &own_name)).await? {
        Err(e) => Err(e),
        Ok(dialect) => {
            let source = source_of(&dialect.headers);
            let mapping = Mapping { ambient_kpa, ..remembered(store, &source).await? };
            let own_name = name.to_owned();
            blocking(move || preview(second, &own_name, &mapping, ratio)).await?.map(|r| (source, r))
        }
    };
    let refused = match read {
        Ok((source, (role, report))) => return item(role, source, &report),
        Err(e) if prints::may_be(&e.problem) => e,
        Err(e) => return Err(e.into()),
    };
    if name.ends_with(".json") {
        return match blocking(move || prints::typed_in(third)).await? {
            Some(report) => item(Role::Print, prints::typed_source(), &report),
            None => Err(refused.into()),
        };
    }
    let own_name = name.to_owned();
    let cells = blocking(move || read_cells(third, &own_name)).await?;
    let plain = cells.and_then(|c| Ok((read_finished(&c, name, &FinishedColumns::default())?, c)));
    let (table, cells) = match plain {
        Ok(read) => read,
        Err(e) => return Err(prints::better(refused, e).into()),
    };
    let source = prints::source(&table);
    let mapping = remembered(store, &source).await?;
    let table = read_finished(&cells, name, &named(&mapping))?;
    item(Role::Print, source, &prints::described(&table, &mapping))
}

/// How files of a source are read, as far as a person said it.
async fn remembered(store: &Store, source: &str) -> Result<Mapping, WorkflowError> {
    let known = store.remembered_mapping(source).await?;
    Ok(known.and_then(|j| serde_json::from_str(&j).ok()).unwrap_or_default())
}
