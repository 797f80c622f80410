//! What is poured into the tank of a day's vehicle.

use super::days::day;
use super::page;
use super::vehicles::Fields;
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::prefs::Prefs;
use crate::state::AppState;
use crate::typed::{blank_or, litres};
use crate::views::DayTyped;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use chrono::NaiveTime;
use jamjar_core::units::VolumeUnit;
use jamjar_store::NewPour;

/// Largest tank anybody fills, L.
const LARGEST: f64 = 2_000.0;

fn pour_of(f: &Fields, volume: VolumeUnit) -> Result<NewPour, String> {
    let get = |name: &str| f.get(name).map_or("", |s| s.trim());
    let at = NaiveTime::parse_from_str(get("at"), "%H:%M")
        .map_err(|_| "say when: a time of day such as 14:30 tells which pulls stand on it".to_owned())?;
    let (fuel, batch) = get("what").split_once(':').map_or((get("what"), None), |(f, b)| (f, Some(b)));
    let fuel_id = fuel.parse().map_err(|_| "choose what was poured".to_owned())?;
    let batch_id = batch.map(str::parse).transpose().map_err(|_| "choose what was poured".to_owned())?;
    let poured = litres(get("litres"), volume)?;
    let left_l = match get("drained") {
        "yes" => Some(0.0),
        _ => blank_or(get("left"), |s| litres(s, volume))?,
    };
    for (what, v) in [("poured", Some(poured)), ("left", left_l)] {
        if let Some(v) = v.filter(|v| !(0.0..=LARGEST).contains(v)) {
            return Err(format!("{v:.0} L {what} cannot be"));
        }
    }
    Ok(NewPour { at, fuel_id, batch_id, litres: poured, left_l })
}

pub(crate) async fn pour(
    Calibrator(who): Calibrator,
    prefs: Prefs,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<Fields>,
) -> Result<Response, WebError> {
    match pour_of(&f, prefs.volume) {
        Ok(new) => {
            state.store.pour(id, &new, &who.by("")).await?;
            Ok(Redirect::to(&format!("/days/{id}#tank")).into_response())
        }
        Err(problem) => {
            let mut p = day(&state, &prefs, id).await?;
            p.typed = DayTyped { form: "tank", fields: f, problem };
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&p)?).into_response())
        }
    }
}

/// It was not poured.
pub(crate) async fn unpour(
    Calibrator(who): Calibrator,
    State(state): State<AppState>,
    Path((id, one)): Path<(i64, i64)>,
) -> Result<Redirect, WebError> {
    state.store.unpour(id, one, &who.by("")).await?;
    Ok(Redirect::to(&format!("/days/{id}#tank")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_fill_says_when_and_onto_what() {
        let fields = |pairs: &[(&str, &str)]| -> Fields {
            pairs.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect()
        };
        let base = [("at", "14:10"), ("what", "3:7"), ("litres", "20")];
        let p = pour_of(&fields(&base), VolumeUnit::Litre).unwrap();
        assert_eq!((p.fuel_id, p.batch_id, p.litres, p.left_l), (3, Some(7), 20.0, None));
        let drained = pour_of(
            &fields(&[base[0], base[1], base[2], ("drained", "yes"), ("left", "5")]),
            VolumeUnit::Litre,
        );
        assert_eq!(drained.unwrap().left_l, Some(0.0));
        assert!(pour_of(&fields(&[base[1], base[2]]), VolumeUnit::Litre).unwrap_err().contains("when"));
        assert!(pour_of(&fields(&[base[0], base[1], ("litres", "20000")]), VolumeUnit::Litre).is_err());
        assert!(pour_of(&fields(&[base[0], ("what", ""), base[2]]), VolumeUnit::Litre).is_err());
    }
}
