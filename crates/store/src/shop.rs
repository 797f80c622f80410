//! What the shop has chosen once for everybody.

use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::schema::shop_setting;
use diesel::prelude::*;
use diesel_async::{AsyncMysqlConnection, RunQueryDsl};
use jamjar_core::analysis::Usual;
use jamjar_core::correction::Correction;

const SPARK: &str = "correction, spark";
const DIESEL: &str = "correction, diesel";
const UNITS: &str = "units";
const CURRENCY: &str = "currency";
const DATES: &str = "dates";
const DECIMAL: &str = "decimal mark";
const NAME: &str = "shop name";
const LINE: &str = "shop line";
/// The picture; it is asked for by itself, for it is long.
const MARK: &str = "shop mark";

/// What the shop made of the list that is walked before a pull.
const CHECKS: &str = "own checks";

async fn one(c: &mut AsyncMysqlConnection, name: &str) -> Result<String, StoreError> {
    let found = shop_setting::table.find(name).select(shop_setting::value).first(c).await.optional()?;
    Ok(found.unwrap_or_default())
}

async fn put(c: &mut AsyncMysqlConnection, name: &str, value: &str) -> Result<(), StoreError> {
    diesel::insert_into(shop_setting::table)
        .values((shop_setting::name.eq(name), shop_setting::value.eq(value)))
        .on_conflict(diesel::dsl::DuplicatedKeys)
        .do_update()
        .set(shop_setting::value.eq(value))
        .execute(c)
        .await?;
    Ok(())
}

/// What holds in the shop as long as nobody chooses otherwise.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Ways {
    /// Correction families of its figures.
    pub usual: Usual,
    /// Units people read in, as the pages write them down; blank: those of the program.
    pub units: String,
    /// Money, as it is written behind an amount; blank: not said.
    pub currency: String,
    /// How dates are written, by the id the pages give it; blank: as the program does.
    pub dates: String,
    /// Decimal mark of files that go to spreadsheets; blank: a point.
    pub decimal: String,
    /// What it is called on what leaves it; blank: not said.
    pub name: String,
    /// Where it is and how it is reached, in a line.
    pub line: String,
}

impl Store {
    /// What the shop has chosen; where it has not, what the program begins with.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn ways(&self) -> Result<Ways, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<(String, String)> =
            shop_setting::table.filter(shop_setting::name.ne_all([MARK, CHECKS])).load(&mut c).await?;
        let chosen = |name: &str| rows.iter().find(|r| r.0 == name).map(|r| r.1.as_str());
        let text = |name: &str| chosen(name).unwrap_or_default().to_owned();
        let family = |name: &str| chosen(name).and_then(Correction::from_id);
        let usual = Usual::default();
        Ok(Ways {
            usual: Usual {
                spark: family(SPARK).unwrap_or(usual.spark),
                diesel: family(DIESEL).unwrap_or(usual.diesel),
            },
            units: text(UNITS),
            currency: text(CURRENCY),
            dates: text(DATES),
            decimal: text(DECIMAL),
            name: text(NAME),
            line: text(LINE),
        })
    }

    /// The shop's mark as a data address; blank where it has none.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn shop_mark(&self) -> Result<String, StoreError> {
        one(&mut *self.conn().await?, MARK).await
    }

    /// What the shop made of the list that is walked before a pull, as it was kept; blank where nothing.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn own_checks(&self) -> Result<String, StoreError> {
        one(&mut *self.conn().await?, CHECKS).await
    }

    /// Keeps it, where it is still what it `was`.
    ///
    /// # Errors
    /// [`StoreError::Changed`] when somebody else changed it since.
    #[boxed]
    pub async fn set_own_checks(&self, was: &str, now: &str) -> Result<(), StoreError> {
        self.transact(async |c| {
            let row = shop_setting::table.find(CHECKS).select(shop_setting::value).for_update();
            let now_kept: Option<String> = row.first(c).await.optional()?;
            if now_kept.unwrap_or_default() != was {
                return Err(StoreError::Changed { what: "the list of checks", now: None });
            }
            put(c, CHECKS, now).await
        })
        .await
    }

    /// Keeps the shop's mark; a blank one takes it away.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn set_shop_mark(&self, mark: &str) -> Result<(), StoreError> {
        put(&mut *self.conn().await?, MARK, mark).await
    }

    /// Chooses for the shop.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn set_ways(&self, ways: &Ways) -> Result<(), StoreError> {
        let rows = [
            (SPARK, ways.usual.spark.id()),
            (DIESEL, ways.usual.diesel.id()),
            (UNITS, &ways.units),
            (CURRENCY, &ways.currency),
            (DATES, &ways.dates),
            (DECIMAL, &ways.decimal),
            (NAME, &ways.name),
            (LINE, &ways.line),
        ];
        self.transact(async |c| {
            for (name, value) in rows {
                put(c, name, value).await?;
            }
            Ok(())
        })
        .await
    }
}
