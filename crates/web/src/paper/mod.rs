//! A sheet of paper as PDF: paragraphs, tables and pictures laid out line by line, tagged so that it can be read aloud.
//! It knows no report; what stands on it is said by whoever lays it out.

mod layout;
mod letters;
mod press;

pub(crate) use layout::{Cell, Flow, Style, Table};
pub(crate) use letters::with_letters;
pub(crate) use press::{Size, press};
