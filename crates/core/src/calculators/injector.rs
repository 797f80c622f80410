//! Diesel injector quantity map: bilinear in pressure and duration, inverse in duration.

use crate::signal::interp::linear;
use thiserror::Error;

/// Pressure × duration → mass; rows are pressures.
#[derive(Debug, Clone, PartialEq)]
pub struct QuantityMap {
    pressures_mpa: Vec<f64>,
    durations_us: Vec<f64>,
    mass_mg: Vec<Vec<f64>>,
}

/// Why a map or a look-up is refused.
#[derive(Debug, Clone, PartialEq, Error)]
#[allow(missing_docs)]
pub enum InjectorError {
    #[error("{axis} needs at least two finite ascending values")]
    BadAxis { axis: &'static str },
    #[error(
        "mass_mg has {rows} rows and row {row} has {columns} values: expected {want_rows} rows of {want_columns}"
    )]
    Shape { rows: usize, row: usize, columns: usize, want_rows: usize, want_columns: usize },
    #[error("{name} {value} lies outside the map ({min} to {max})")]
    Outside { name: &'static str, value: f64, min: f64, max: f64 },
    #[error("mass does not rise with duration at {pressure_mpa} MPa, so it cannot be inverted")]
    NotMonotonic { pressure_mpa: f64 },
}

fn check_axis(axis: &'static str, v: &[f64]) -> Result<(), InjectorError> {
    let ok = v.len() >= 2 && v.iter().all(|x| x.is_finite()) && v.windows(2).all(|w| w[1] > w[0]);
    if ok { Ok(()) } else { Err(InjectorError::BadAxis { axis }) }
}

impl QuantityMap {
    /// Checks axes and shape.
    ///
    /// # Errors
    /// [`InjectorError`] for a bad axis or a table of another shape.
    pub fn new(
        pressures_mpa: Vec<f64>,
        durations_us: Vec<f64>,
        mass_mg: Vec<Vec<f64>>,
    ) -> Result<Self, InjectorError> {
        check_axis("pressures_mpa", &pressures_mpa)?;
        check_axis("durations_us", &durations_us)?;
        let (want_rows, want_columns, rows) = (pressures_mpa.len(), durations_us.len(), mass_mg.len());
        let bad = mass_mg.iter().position(|r| r.len() != want_columns || r.iter().any(|v| !v.is_finite()));
        if rows != want_rows || bad.is_some() {
            let row = bad.unwrap_or(0);
            return Err(InjectorError::Shape {
                rows,
                row,
                columns: mass_mg.get(row).map_or(0, Vec::len),
                want_rows,
                want_columns,
            });
        }
        Ok(Self { pressures_mpa, durations_us, mass_mg })
    }

    /// Mass over duration at one pressure, interpolated between rows.
    fn row_at(&self, pressure_mpa: f64) -> Result<Vec<f64>, InjectorError> {
        let p = &self.pressures_mpa;
        let (min, max) = (p[0], p[p.len() - 1]);
        (0..self.durations_us.len())
            .map(|j| linear(p, &self.mass_mg.iter().map(|r| r[j]).collect::<Vec<_>>(), pressure_mpa))
            .collect::<Option<Vec<_>>>()
            .ok_or(InjectorError::Outside { name: "pressure_mpa", value: pressure_mpa, min, max })
    }

    /// Injected mass, mg.
    ///
    /// # Formula
    /// Bilinear between the four points around the wanted one:
    /// `m = (1−a)·[(1−b)·m00 + b·m01] + a·[(1−b)·m10 + b·m11]`
    ///
    /// where
    /// - `a = (p − p0)/(p1 − p0)`: place between the two pressures, MPa;
    /// - `b = (d − d0)/(d1 − d0)`: place between the two durations, µs;
    /// - `m00 … m11`: mass at those four points, mg a shot (domain, section 11).
    ///
    /// ```
    /// use jamjar_core::calculators::injector::QuantityMap;
    /// let map = QuantityMap::new(vec![40.0, 80.0], vec![200.0, 600.0], vec![vec![4.0, 20.0], vec![8.0, 40.0]])?;
    /// assert_eq!(map.mass(60.0, 400.0)?, 18.0);
    /// # Ok::<(), jamjar_core::calculators::injector::InjectorError>(())
    /// ```
    ///
    /// # Errors
    /// [`InjectorError::Outside`] beyond the map.
    pub fn mass(&self, pressure_mpa: f64, duration_us: f64) -> Result<f64, InjectorError> {
        let d = &self.durations_us;
        let row = self.row_at(pressure_mpa)?;
        linear(d, &row, duration_us).ok_or(InjectorError::Outside {
            name: "duration_us",
            value: duration_us,
            min: d[0],
            max: d[d.len() - 1],
        })
    }

    /// Duration that injects a mass, µs.
    ///
    /// # Formula
    /// The inverse of [`mass`](Self::mass) along one row: `d = d0 + (m − m0)/(m1 − m0)·(d1 − d0)`
    ///
    /// where
    /// - `m0`, `m1`: the two masses around the wanted one, mg, both at the wanted pressure;
    /// - `d0`, `d1`: their durations, µs (domain, section 11). The row must rise throughout: else two durations give
    ///   one mass.
    ///
    /// ```
    /// use jamjar_core::calculators::injector::QuantityMap;
    /// let map = QuantityMap::new(vec![40.0, 80.0], vec![200.0, 600.0], vec![vec![4.0, 20.0], vec![8.0, 40.0]])?;
    /// assert_eq!(map.duration(60.0, 18.0)?, 400.0);
    /// assert!(map.duration(60.0, 31.0).is_err(), "beyond the map nothing is made up");
    /// # Ok::<(), jamjar_core::calculators::injector::InjectorError>(())
    /// ```
    ///
    /// # Errors
    /// [`InjectorError`] beyond the map or when the row cannot be inverted.
    pub fn duration(&self, pressure_mpa: f64, mass_mg: f64) -> Result<f64, InjectorError> {
        let row = self.row_at(pressure_mpa)?;
        if row.windows(2).any(|w| w[1] <= w[0]) {
            return Err(InjectorError::NotMonotonic { pressure_mpa });
        }
        linear(&row, &self.durations_us, mass_mg).ok_or(InjectorError::Outside {
            name: "mass_mg_wanted",
            value: mass_mg,
            min: row[0],
            max: row[row.len() - 1],
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn duration_is_the_inverse_of_mass() {
        let m = QuantityMap::new(
            vec![40.0, 80.0],
            vec![200.0, 500.0, 900.0],
            vec![vec![3.0, 27.0, 60.0], vec![4.5, 38.0, 84.0]],
        )
        .unwrap();
        for (p, d) in [(40.0, 200.0), (55.0, 333.0), (80.0, 900.0)] {
            assert!((m.duration(p, m.mass(p, d).unwrap()).unwrap() - d).abs() < 1e-9);
        }
        assert!(matches!(m.mass(90.0, 300.0), Err(InjectorError::Outside { name: "pressure_mpa", .. })));
    }

    #[test]
    fn a_ragged_table_is_refused() {
        assert!(matches!(
            QuantityMap::new(vec![1.0, 2.0], vec![1.0, 2.0], vec![vec![1.0, 2.0], vec![1.0]]),
            Err(InjectorError::Shape { row: 1, .. })
        ));
    }
}
