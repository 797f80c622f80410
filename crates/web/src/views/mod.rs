//! View models: numbers and units become strings here, templates only place them.

mod blend;
mod catalogue;
mod cell_now;
mod checks;
mod common;
mod computed;
mod cruise;
mod day;
mod decision;
mod erase;
mod fuel;
mod fuel_fields;
mod fuel_table;
mod fuels;
mod injection;
mod ladder;
mod limits;
mod lineage;
mod lineup;
mod map_difference;
mod margins;
mod planned;
mod pull;
mod report;
mod right;
mod road;
mod search;
mod settings;
mod shelf;
mod shifts;
mod sign_off;
mod starting;
mod thread;
mod vehicle;
mod workshop;

pub(crate) use blend::{
    Answer, BlendPage, FuelChoice, MixAsked, Typed, aux_answer, mix_answer, rinse_answer, tube_answer,
};
pub(crate) use catalogue::{CatalogueDay, CataloguePage};
pub(crate) use cell_now::{CellNowPage, newest, next_words, runs_words};
pub(crate) use checks::{checks_page, dyno_of, engine_of};
pub(crate) use common::{
    ColumnTable, Encoding, FigureAsked, assignments, attached_rows, channels, choices, column_rows, count,
    dyno_kinds, id_of, lane_ids, on_lineup, plan_rows, query_of, size_words, unit_settings, units,
};
pub(crate) use computed::{ComputedPage, computed_page};
pub(crate) use day::{
    CellDayPage, DayPage, DayTyped, InboxFragment, NewDayPage, TypedForm, VehicleOfDay, applied,
    cell_day_page, checklist_fragment, day_page, day_seen, inbox_fragment, other_dyno, picture_of, places,
    quoted_words, refuelled, tank_view, vehicle_of_day,
};
pub(crate) use decision::decision_page;
pub(crate) use erase::ErasePage;
pub(crate) use fuel::fuel_page;
pub(crate) use fuel_fields::FuelFields;
pub(crate) use fuel_table::{FuelTableFields, FuelTablePage};
pub(crate) use fuels::fuels_page;
pub(crate) use injection::{InjectionPage, LookUp, injection_page};
pub(crate) use ladder::{ladder_id, ladder_page, read_ladder_id};
pub(crate) use limits::{FACTORS, LimitPage, limit_fields, limit_page};
pub(crate) use lineage::lineage_page;
pub(crate) use lineup::{
    Choose, ChooseRow, Fields as LineUpFields, LineUpAsked, channels_shown as lineup_channels, chart_of,
    focus_of as lineup_focus, lineup_page, several_page, tracks as lineup_tracks,
};
pub(crate) use map_difference::map_difference_page;
pub(crate) use margins::{figure_scale, margins_page};
pub(crate) use planned::planned_page;
pub(crate) use pull::{Asked, evidence_view, pull_page, to_learn};
pub(crate) use report::{
    IssuePage, Letterhead, ReportBar, ReportsPage, Sheet, print_sheet, report_rows, sheet_part, with_bar,
};
pub(crate) use right::{Field, FieldForm, PutAway, RightPage, Standing, trail};
pub(crate) use road::road_page;
pub(crate) use search::{SEARCH_ROWS, search_page, search_refused};
pub(crate) use settings::{SettingsPage, families, source_rows};
pub(crate) use shelf::shelf_page;
pub(crate) use shifts::shifts_page;
pub(crate) use sign_off::{sign_off_list, sign_off_page};
pub(crate) use starting::{StartingPage, starting_page};
pub(crate) use thread::{thread_page, threads_page};
pub(crate) use vehicle::{Stock, VehicleParts, VehiclesPage, sheet_differences, vehicle_page, vehicle_row};
pub(crate) use workshop::{RunFragment, run_fragment, workshop_page};

use askama::Template;

/// What every page shows around its content.
#[derive(Debug, Clone, Default)]
pub(crate) struct Shell {
    pub(crate) title: String,
    pub(crate) theme: String,
    pub(crate) query: String,
    pub(crate) here: &'static str,
}

impl Shell {
    pub(crate) fn new(title: impl Into<String>, theme: &str, here: &'static str) -> Self {
        Self { title: title.into(), theme: theme.to_owned(), query: String::new(), here }
    }
}

/// A refusal as a page.
#[derive(Template)]
#[template(path = "error.html")]
pub(crate) struct ErrorPage<'a> {
    pub(crate) title: &'a str,
    pub(crate) text: &'a str,
    pub(crate) theme: &'a str,
}
