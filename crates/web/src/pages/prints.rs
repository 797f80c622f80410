//! Peaks typed from a print.

use super::imports::fragment;
use super::page;
use crate::auth::Calibrator;
use crate::error::WebError;
use crate::state::AppState;
use crate::typed::{Wrong, number, optional};
use crate::views::TypedForm;
use axum::Form;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use jamjar_core::printed::Print;
use jamjar_workflow::WorkflowError;
use jamjar_workflow::import::type_peaks;
use jamjar_workflow::printed::{Typed, TypedPeak};

/// Longest name of a print, characters.
const LONGEST: usize = 80;

fn peak(what: &str, value: &str, unit: &str, rpm: &str) -> Result<Option<TypedPeak>, String> {
    if value.trim().is_empty() {
        return match rpm.trim() {
            "" => Ok(None),
            _ => Err(format!("{what}: a speed without a value")),
        };
    }
    Ok(Some(TypedPeak {
        value: number(what, value)?,
        unit: unit.to_owned(),
        rpm: optional("its speed", rpm)?,
    }))
}

/// The peaks of a form, or which field is wrong and why.
fn typed_of(f: &TypedForm) -> Result<Typed, Wrong> {
    let power = peak("peak power", &f.power, &f.power_unit, &f.power_rpm).map_err(|e| ("power", e))?;
    let torque = peak("peak torque", &f.torque, &f.torque_unit, &f.torque_rpm).map_err(|e| ("torque", e))?;
    let typed = Typed { peak_power: power, peak_torque: torque };
    match typed.peaks(Print::default()) {
        Ok(_) => Ok(typed),
        Err(_) if typed.peak_power.is_none() && typed.peak_torque.is_none() => {
            Err(("power", "type a peak of power, of torque, or both".into()))
        }
        Err(e) if e.starts_with("peak_torque") => Err(("torque", e.replace("peak_torque", "peak torque"))),
        Err(e) => Err(("power", e.replace("peak_power", "peak power"))),
    }
}

/// Lets typed peaks wait on the day like a dropped file.
pub(crate) async fn typed(
    _: Calibrator,
    State(state): State<AppState>,
    Path(id): Path<i64>,
    Form(f): Form<TypedForm>,
) -> Result<Response, WebError> {
    state.store.day(id).await?;
    let name: String = f.name.trim().chars().filter(|c| !c.is_control()).take(LONGEST).collect();
    let name = if name.is_empty() { "typed peaks".to_owned() } else { name };
    let took = match typed_of(&f) {
        Ok(typed) => match type_peaks(&state.store, id, &name, &typed).await {
            Ok(r) if r.known => Err(("name", "these very peaks wait here or are stored already".to_owned())),
            Ok(_) => Ok(()),
            Err(WorkflowError::Bad(e)) => Err(("power", e)),
            Err(e) => return Err(e.into()),
        },
        Err(wrong) => Err(wrong),
    };
    let mut shown = fragment(&state, id).await?;
    match took {
        Ok(()) => Ok(page(&shown)?.into_response()),
        Err((field, problem)) => {
            shown.typed = TypedForm { bad: field, problem, ..f };
            Ok((StatusCode::UNPROCESSABLE_ENTITY, page(&shown)?).into_response())
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn form(power: &str, unit: &str, torque: &str) -> TypedForm {
        TypedForm {
            power: power.into(),
            power_unit: unit.into(),
            torque: torque.into(),
            torque_unit: "N·m".into(),
            ..TypedForm::default()
        }
    }

    #[test]
    fn peaks_are_read_as_people_write_them_and_what_is_wrong_has_its_field() {
        let t = typed_of(&form("162,5", "hp", "")).unwrap();
        assert!((t.peak_power.unwrap().value - 162.5).abs() < 1e-9 && t.peak_torque.is_none());
        for (f, field) in [
            (form("", "kW", ""), "power"),
            (form("much", "kW", ""), "power"),
            (form("162", "N·m", ""), "power"),
            (form("162", "kW", "-4"), "torque"),
        ] {
            assert_eq!(typed_of(&f).unwrap_err().0, field);
        }
    }
}
