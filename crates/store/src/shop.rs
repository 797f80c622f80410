//! What the shop has chosen once for everybody.

use crate::boxed;
use crate::db::Store;
use crate::error::StoreError;
use crate::schema::shop_setting;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use jamjar_core::analysis::Usual;
use jamjar_core::correction::Correction;

const SPARK: &str = "correction, spark";
const DIESEL: &str = "correction, diesel";

impl Store {
    /// The correction families in which figures are shown as long as nobody chooses one.
    ///
    /// # Errors
    /// [`StoreError`] when the database cannot answer.
    #[boxed]
    pub async fn usual_corrections(&self) -> Result<Usual, StoreError> {
        let mut c = self.conn().await?;
        let rows: Vec<(String, String)> = shop_setting::table
            .filter(shop_setting::name.eq_any([SPARK, DIESEL]))
            .select((shop_setting::name, shop_setting::value))
            .load(&mut c)
            .await?;
        let chosen = |name: &str| rows.iter().find(|r| r.0 == name).and_then(|r| Correction::from_id(&r.1));
        let usual = Usual::default();
        Ok(Usual {
            spark: chosen(SPARK).unwrap_or(usual.spark),
            diesel: chosen(DIESEL).unwrap_or(usual.diesel),
        })
    }

    /// Chooses them for the shop.
    ///
    /// # Errors
    /// [`StoreError`] when the database refuses.
    #[boxed]
    pub async fn set_usual_corrections(&self, usual: Usual) -> Result<(), StoreError> {
        self.transact(async |c| {
            for (name, family) in [(SPARK, usual.spark), (DIESEL, usual.diesel)] {
                diesel::insert_into(shop_setting::table)
                    .values((shop_setting::name.eq(name), shop_setting::value.eq(family.id())))
                    .on_conflict(diesel::dsl::DuplicatedKeys)
                    .do_update()
                    .set(shop_setting::value.eq(family.id()))
                    .execute(c)
                    .await?;
            }
            Ok(())
        })
        .await
    }
}
