//! Finding sets by vehicle, map, fuel, boost, gear, build, date and note.

use crate::db::Store;
use crate::error::StoreError;
use chrono::NaiveDate;
use diesel::sql_types::{BigInt, Date, Double, Nullable, Text};
use diesel::{QueryableByName, sql_query};
use diesel_async::RunQueryDsl;

/// A set found.
#[derive(Debug, Clone, PartialEq, QueryableByName)]
#[allow(missing_docs)]
pub struct Hit {
    #[diesel(sql_type = BigInt)]
    pub set_id: i64,
    #[diesel(sql_type = BigInt)]
    pub day_id: i64,
    #[diesel(sql_type = Date)]
    pub date: NaiveDate,
    #[diesel(sql_type = Text)]
    pub vehicle: String,
    #[diesel(sql_type = Text)]
    pub map: String,
    #[diesel(sql_type = Text)]
    pub fuel: String,
    #[diesel(sql_type = Text)]
    pub note: String,
    #[diesel(sql_type = BigInt)]
    pub pulls: i64,
    #[diesel(sql_type = Nullable<Double>)]
    pub best_kw: Option<f64>,
}

/// Most words of a query that are used.
const MAX_WORDS: usize = 8;

impl Store {
    /// Sets in which every word of the query occurs, newest first.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    pub async fn search(&self, query: &str, limit: i64) -> Result<Vec<Hit>, StoreError> {
        let words: Vec<String> = query
            .split_whitespace()
            .take(MAX_WORDS)
            .map(|w| format!("%{}%", w.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_")))
            .collect();
        let each = "CONCAT_WS(' ', v.name, m.name, f.name, b.name, s.boost, s.gear, s.note, d.note, d.on_date) LIKE ?";
        let condition = if words.is_empty() { "TRUE".to_owned() } else { vec![each; words.len()].join(" AND ") };
        let sql = format!(
            "SELECT s.id AS set_id, d.id AS day_id, d.on_date AS date, v.name AS vehicle, m.name AS map, f.name AS fuel, s.note AS note, \
             COUNT(p.id) AS pulls, MAX(u.peak_power_kw) AS best_kw \
             FROM pull_set s JOIN cell_day d ON d.id = s.day_id JOIN vehicle v ON v.id = d.vehicle_id JOIN map_revision m ON m.id = s.map_id \
             JOIN fuel f ON f.id = s.fuel_id JOIN build_state b ON b.id = s.build_id LEFT JOIN pull p ON p.set_id = s.id LEFT JOIN pull_summary u ON u.pull_id = p.id \
             WHERE {condition} GROUP BY s.id ORDER BY d.on_date DESC, s.id DESC LIMIT {limit}"
        );
        let mut q = sql_query(sql).into_boxed::<diesel::mysql::Mysql>();
        for w in &words {
            q = q.bind::<Text, _>(w.clone());
        }
        let mut c = self.conn().await?;
        Ok(q.load(&mut c).await?)
    }
}
