//! How the shop writes dates, money and the numbers that go to spreadsheets: chosen once for everybody.

use chrono::NaiveDate;
use jamjar_store::Ways;

/// Which part of a date is written first. Months are words or the year stands first, so that none can be read two ways.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Dates {
    /// "3 March 2026".
    #[default]
    Day,
    /// "March 3, 2026".
    Month,
    /// "2026-03-03".
    Year,
}

/// Ways of writing dates with their id and an example.
pub(crate) const DATES: [(Dates, &str, &str); 3] = [
    (Dates::Day, "day", "3 March 2026"),
    (Dates::Month, "month", "March 3, 2026"),
    (Dates::Year, "year", "2026-03-03"),
];

/// Decimal marks with their id and what they look like, on a screen and in files for spreadsheets.
pub(crate) const DECIMALS: [(bool, &str, &str); 2] = [
    (false, "point", "1234.5; in files a comma between columns"),
    (true, "comma", "1234,5; in files a semicolon between columns"),
];

/// Longest currency.
pub(crate) const LONGEST_CURRENCY: usize = 12;

/// The shop's way of writing.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) struct Written {
    pub(crate) dates: Dates,
    /// Blank when nobody said.
    pub(crate) currency: String,
    /// Numbers on a screen and in a file for spreadsheets have a comma where others have a point.
    pub(crate) decimal_comma: bool,
}

impl Written {
    /// As the shop chose.
    pub(crate) fn of(shop: &Ways) -> Self {
        Self {
            dates: DATES.iter().find(|d| d.1 == shop.dates).map(|d| d.0).unwrap_or_default(),
            currency: shop.currency.clone(),
            decimal_comma: shop.decimal == "comma",
        }
    }

    /// A date in words.
    pub(crate) fn date(&self, d: NaiveDate) -> String {
        let how = match self.dates {
            Dates::Day => "%-d %B %Y",
            Dates::Month => "%B %-d, %Y",
            Dates::Year => "%Y-%m-%d",
        };
        d.format(how).to_string()
    }

    /// An amount of money with so many digits, and its currency where the shop said one.
    pub(crate) fn money(&self, amount: f64, digits: usize) -> String {
        let currency = if self.currency.is_empty() { String::new() } else { format!(" {}", self.currency) };
        format!("{amount:.digits$}{currency}")
    }

    /// A number written with a point, as it stands in a file for spreadsheets.
    pub(crate) fn decimal(&self, written: String) -> String {
        if self.decimal_comma { written.replace('.', ",") } else { written }
    }

    /// What stands between columns of such a file.
    pub(crate) fn between_columns(&self) -> u8 {
        if self.decimal_comma { b';' } else { b',' }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dates_money_and_decimals_are_written_as_the_shop_does() {
        let d = NaiveDate::from_ymd_opt(2026, 3, 4).unwrap();
        let shop = |dates: &str, currency: &str, decimal: &str| {
            let (dates, currency, decimal) = (dates.into(), currency.into(), decimal.into());
            Written::of(&Ways { dates, currency, decimal, ..Ways::default() })
        };
        let plain = shop("", "", "");
        assert_eq!((plain, Written::default().date(d)), (Written::default(), "4 March 2026".to_owned()));
        assert_eq!(shop("month", "", "").date(d), "March 4, 2026");
        assert_eq!(shop("year", "", "").date(d), "2026-03-04");
        let crowns = shop("day", "crowns", "comma");
        assert_eq!((crowns.money(690.5, 1), crowns.between_columns()), ("690.5 crowns".to_owned(), b';'));
        assert_eq!(crowns.decimal("12.500".into()), "12,500");
        assert_eq!(Written::default().decimal("12.500".into()), "12.500");
    }
}
