//! A server of its own and one day of data, shared by the test binaries.
#![allow(dead_code, clippy::unwrap_used)]

mod kept;

use chrono::NaiveDate;
use jamjar_core::air::AirState;
use jamjar_core::analysis::{PullInput, Settings, Vehicle, measure};
use jamjar_core::channel::Channel;
use jamjar_core::log::Recording;
use jamjar_core::pull::dyno::{Dyno, DynoKind};
use jamjar_store::private::PrivateDb;
use jamjar_store::{
    By, Configuration, NewDay, NewPull, NewSet, NewVehicle, SlipRecord, Store, StoreError, Summary,
};
use std::path::PathBuf;
use tempfile::TempDir;
use tokio::sync::OnceCell;

pub(crate) struct Server {
    pub(crate) db: PrivateDb,
    pub(crate) folder: TempDir,
}

impl Server {
    pub(crate) async fn start(name: &str) -> (Self, Store) {
        static EMPTY: OnceCell<PathBuf> = OnceCell::const_new();
        let made = EMPTY.get_or_init(|| async {
            let (mut server, _) = Self::on(TempDir::with_prefix("jj-").unwrap()).await;
            server.db.stop();
            let kept = kept::folder("empty");
            kept::copy(server.folder.path(), &kept);
            kept
        });
        let folder = TempDir::with_prefix(format!("jj-{name}-")).unwrap();
        kept::copy(made.await, folder.path());
        Self::on(folder).await
    }

    async fn on(folder: TempDir) -> (Self, Store) {
        let db = PrivateDb::start(folder.path(), 0).unwrap();
        let store = Store::new(&db.url("jamjar"), 4).unwrap();
        store.migrate().await.unwrap();
        (Self { db, folder }, store)
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        self.db.stop();
    }
}

pub(crate) fn by() -> By {
    By::new("the calibrator", "")
}

pub(crate) fn vehicle() -> Vehicle {
    Vehicle {
        name: "Tolvern T3".into(),
        engine: Default::default(),
        dyno: Dyno {
            kind: DynoKind::Hub,
            overall_ratio: Some(4.0),
            inertia_kg_m2: None,
            rotating_inertia_kg_m2: None,
        },
        gears: Default::default(),
        computed: Vec::new(),
    }
}

pub(crate) fn recording() -> Recording {
    let n = 800;
    let mut r = Recording {
        name: "p1.csv".into(),
        t: (0..n).map(|i| f64::from(i) * 0.01).collect(),
        ..Recording::default()
    };
    r.channels
        .insert(Channel::new("roller_speed").unwrap(), (0..n).map(|i| 500.0 + 1.4 * f64::from(i)).collect());
    r.channels.insert(
        Channel::new("hub_torque").unwrap(),
        (0..n).map(|i| 700.0 + 20.0 * (f64::from(i) * 0.01).sin()).collect(),
    );
    r
}

pub(crate) fn new_pull(file: i64) -> NewPull {
    let dyno = recording();
    let measured = measure(
        &PullInput { id: "p1".into(), dyno: dyno.clone(), ..PullInput::default() },
        &vehicle(),
        &Settings::default(),
        &[],
    )
    .unwrap();
    NewPull {
        dyno_file_id: file,
        ecu_file_id: None,
        dyno_mapping: "{}".into(),
        ecu_mapping: None,
        number_in_file: None,
        started_at: None,
        air: None,
        excluded: None,
        finished: None,
        dyno,
        ecu: None,
        summary: Summary {
            algorithm: 1,
            settings: "0123456789abcdef".into(),
            measured: std::sync::Arc::new(measured),
        },
    }
}

pub(crate) fn new_set(file: i64, pulls: usize) -> NewSet {
    let config = Configuration {
        build: "A".into(),
        map: "C3".into(),
        map_kind: "custom".into(),
        fuel: "RON 95 E5".into(),
        boost: "120 kPa".into(),
        gear: "4".into(),
        note: "after the rattle".into(),
        ..Configuration::default()
    };
    NewSet { config, pulls: (0..pulls).map(|_| new_pull(file)).collect(), into: None, runs: false }
}

pub(crate) async fn day(store: &Store) -> i64 {
    let vehicle_id = store
        .add_vehicle(&NewVehicle {
            vehicle: vehicle(),
            limits: vec![],
            sheet: Default::default(),
            demo: false,
        })
        .await
        .unwrap();
    let air = AirState::new(21.0, 0.5, 1002.0).unwrap();
    let date = NaiveDate::from_ymd_opt(2026, 3, 3).unwrap();
    store
        .add_day(&NewDay {
            vehicle_id,
            date,
            place: "cell 1".into(),
            air: Some(air),
            note: "windy".into(),
            demo: false,
        })
        .await
        .unwrap()
}

/// Commits sets on a day as it is at this moment, again when another storing was first.
pub(crate) async fn commit(
    store: &Store,
    day_id: i64,
    sets: &[NewSet],
    from_inbox: &[i64],
    run: Option<i64>,
) -> Result<Vec<i64>, StoreError> {
    for _ in 1..50 {
        match store.commit_sets(&store.day(day_id).await?, sets, from_inbox, run).await {
            Err(StoreError::Changed { .. }) => {}
            other => return other,
        }
    }
    store.commit_sets(&store.day(day_id).await?, sets, from_inbox, run).await
}

/// A note as a test writes it.
pub(crate) fn note(at: Option<chrono::NaiveTime>, tag: &str, text: &str, by: &str) -> jamjar_store::NewNote {
    jamjar_store::NewNote {
        at,
        tag: tag.into(),
        text: text.into(),
        by: by.into(),
        ..jamjar_store::NewNote::default()
    }
}

/// A vehicle of a name with nothing said of it.
pub(crate) fn new_vehicle(name: &str) -> NewVehicle {
    let vehicle = Vehicle { name: name.into(), ..vehicle() };
    NewVehicle { vehicle, limits: vec![], sheet: Default::default(), demo: false }
}

/// A day of March at a place, without air or note.
pub(crate) fn new_day(vehicle_id: i64, place: &str, day: u32) -> NewDay {
    let date = NaiveDate::from_ymd_opt(2026, 3, day).unwrap();
    NewDay { vehicle_id, date, place: place.into(), air: None, note: String::new(), demo: false }
}

/// A slip of a day of March that says the whole distance alone.
pub(crate) fn slip(t402_s: Option<f64>, day: u32) -> SlipRecord {
    SlipRecord {
        id: None,
        on_date: NaiveDate::from_ymd_opt(2026, 3, day).unwrap(),
        at_time: None,
        place: "the strip".into(),
        map: "C3".into(),
        fuel: "E5".into(),
        t18_s: None,
        t201_s: None,
        v201_kmh: None,
        t402_s,
        v402_kmh: None,
        rollout_m: 0.3,
        launch_rpm: None,
        temperature_c: None,
        pressure_hpa: None,
        note: String::new(),
        written_by: "the calibrator".into(),
    }
}
