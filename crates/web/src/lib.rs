//! Pages, fragments and downloads over HTTP. The router reads as a table.

mod assets;
mod auth;
mod cookies;
mod decimal;
mod error;
mod guard;
mod listen;
mod pages;
mod paper;
mod prefs;
mod seen;
mod state;
mod typed;
mod views;
mod way_back;
mod written;

pub use listen::listen;
pub use pages::demo_reports::{issue_demo_reports, start_demo};
pub use state::{AppState, Instance};

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::routing::{get, post};

/// Largest body of an ordinary request.
const BODY_LIMIT: usize = 2 << 20;
/// A body whose next part does not come within this time is given up.
const BODY_IDLE: std::time::Duration = std::time::Duration::from_secs(30);
/// Largest map file, with the form around it.
const MAP_LIMIT: usize = 257 << 20;

/// Every route.
pub fn router(state: AppState) -> Router {
    use pages::{
        archive, attachments, blend, catalogue, cell_day, cell_now, checklist, checks, curves, custody, days,
        decision, erase, fuel, fuel_table, fuels, imports, injection, kept, ladder, lasting, limits, lineage,
        lineup, map_difference, margins, observed, planned, prints, pulls, reading, recordings, reports,
        right, road, running, search, settings, sheet, shelf, shifts, sign_off, slips, starting, tank,
        threads, vehicles, workshop,
    };
    Router::new()
        .route("/", get(workshop::show))
        .route("/days/new", get(days::new_form))
        .route("/days", get(days::again).post(days::create))
        .route("/days/{id}", get(days::show).post(days::update))
        .route("/days/{id}/inbox", get(imports::inbox))
        .route("/days/{id}/answers", post(imports::answer))
        .route("/days/{id}/commit", post(imports::commit))
        .route("/days/{id}/inbox/clear", post(imports::clear))
        .route("/days/{id}/running", post(running::run_now))
        .route("/days/{id}/typed", post(prints::typed))
        .route("/days/{id}/checklist", post(checklist::answer))
        .route("/days/{id}/notes", post(sheet::note))
        .route("/days/{id}/air", post(sheet::air))
        .route("/days/{id}/fuel", post(sheet::fuel))
        .route("/days/{id}/tank", post(tank::pour))
        .route("/days/{id}/tank/{one}/back", post(tank::unpour))
        .route("/days/{id}/changed", post(sheet::changed))
        .route("/days/{id}/changed/{one}/back", post(sheet::changed_back))
        .route("/vehicles", get(vehicles::list))
        .route("/vehicles/{id}", get(vehicles::show))
        .route("/vehicles/{id}/sheet", post(vehicles::sheet))
        .route("/vehicles/{id}/contact", post(vehicles::contact))
        .route("/vehicles/{id}/builds", post(vehicles::build))
        .route("/vehicles/{id}/limits", post(vehicles::limits))
        .route("/vehicles/{id}/limits/edit", get(limits::show))
        .route("/vehicles/{id}/limits/preview", post(limits::preview))
        .route("/blend", get(blend::show))
        .route("/fuels", get(fuels::show))
        .route("/fuels/{id}/batches", post(fuels::deliver))
        .route("/batches/{id}/off", post(fuels::used_up))
        .route("/fuel-table", get(fuel_table::show).post(fuel_table::make))
        .route("/sets/{id}/fuel", get(fuel::show).post(fuel::apply))
        .route("/sets/{id}/draft", post(fuel::make_draft))
        .route("/sets/{id}/fuel.csv", get(fuel::csv))
        .route("/vehicles/{id}/margins", get(margins::show))
        .route("/vehicles/{id}/flashes", post(lineage::flash))
        .route("/vehicles/{id}/flashes/{one}/back", post(lineage::flash_back))
        .route("/vehicles/{id}/decision", get(decision::show))
        .route("/vehicles/{id}/shelf", get(shelf::show))
        .route("/vehicles/{id}/road", get(road::show))
        .route("/vehicles/{id}/shifts", get(shifts::show))
        .route("/threads", get(threads::list).post(threads::open))
        .route("/threads/{id}", get(threads::show))
        .route("/threads/{id}/step", post(threads::step))
        .route("/threads/{id}/close", post(threads::close))
        .route("/threads/{id}/steps/{step}/take-in", post(threads::take_in))
        .route("/threads/{id}/thread.zip", get(threads::file))
        .route("/threads/arrived", post(threads::arrived).layer(DefaultBodyLimit::max(imports::UPLOAD_LIMIT)))
        .route("/pulls/{id}/remark", post(threads::on_pull))
        .route("/vehicles/{id}/sign-off", get(sign_off::show).post(sign_off::answer))
        .route("/vehicles/{id}/slips", post(slips::add))
        .route("/vehicles/{id}/slips/{one}/off", post(slips::off))
        .route("/vehicles/{id}/ladder", get(ladder::show))
        .route("/vehicles/{id}/ladder/say", post(ladder::say))
        .route("/vehicles/{id}/ladder/{one}/back", post(ladder::unsay))
        .route("/vehicles/{id}/injection", get(injection::show))
        .route("/vehicles/{id}/flow-sheet", post(injection::keep_sheet))
        .route("/vehicles/{id}/quantity-map", post(injection::keep_map))
        .route("/vehicles/{id}/computed", get(limits::computed).post(limits::keep_computed))
        .route("/vehicles/{id}/template", get(starting::show).post(starting::keep))
        .route("/files/{id}", get(custody::file))
        .route("/cells/{id}", get(right::cell_show).post(right::cell_edit))
        .route("/cells/{id}/now", get(cell_now::show))
        .route("/cells/{id}/days/{date}", get(cell_day::show))
        .route("/id/{uid}", get(lasting::go))
        .route("/vehicles/{id}/lend", post(lasting::lend))
        .route("/vehicles/{id}/erase", get(erase::ask).post(erase::erase))
        .route("/attachments/{id}", get(attachments::show))
        .route("/attachments/{id}/off", post(attachments::off))
        .route("/settings", get(settings::show))
        .route("/archive.zip", get(archive::take_out))
        .route("/archive", post(archive::put_back).layer(DefaultBodyLimit::max(imports::UPLOAD_LIMIT)))
        .route("/settings/forget", post(settings::forget))
        .route("/settings/correction", post(settings::usual))
        .route("/demo/reset", post(settings::reset))
        .route("/demo/remove", post(settings::remove))
        .route("/runs/{id}", get(imports::run))
        .route("/runs/{id}/cancel", post(imports::cancel))
        .route("/demo", post(imports::load_demo))
        .route("/pulls/{id}", get(reading::show))
        .route("/pulls/{id}/recording/{ending}", get(recordings::of_pull))
        .route("/pulls/{id}/lag", post(reading::lag))
        .route("/pulls/{id}/learn", post(reading::learn))
        .route("/pulls/{id}/observed", post(observed::of_pull))
        .route("/pulls/{id}/note", post(reading::note))
        .route("/pulls/{id}/exclude", post(pulls::exclude))
        .route("/sets/{id}/note", post(pulls::note))
        .route("/sets/{id}/mark", post(sheet::mark))
        .route("/sets/{id}/edit", get(right::set_show).post(right::set_edit))
        .route("/sets/{id}/pulls", post(right::set_pulls))
        .route("/sets/{id}/merge", post(right::set_merge))
        .route("/days/{id}/edit", get(right::day_show).post(right::day_edit))
        .route("/days/{id}/undo", post(right::undo))
        .route("/vehicles/{id}/edit", get(right::vehicle_show).post(right::vehicle_edit))
        .route("/vehicles/{id}/merge", post(right::vehicle_merge))
        .route("/maps/{id}/against", get(map_difference::show))
        .route("/maps/{id}/tables/{form}", get(custody::tables))
        .route("/maps/merge", post(right::map_merge))
        .route("/maps/{id}/edit", get(right::map_show).post(right::map_edit))
        .route("/fuels/{id}/edit", get(right::fuel_show).post(right::fuel_edit))
        .route("/builds/{id}/edit", get(right::build_show).post(right::build_edit))
        .route("/notes/{id}/edit", get(right::note_show).post(right::note_edit))
        .route("/fuels/merge", post(right::fuel_merge))
        .route("/pulls/{id}/edit", get(right::pull_show))
        .route("/pulls/{id}/columns", post(right::pull_columns))
        .route("/pulls/{id}/print", post(right::pull_print))
        .route("/archive/{kind}/{id}", post(right::archive))
        .route("/restore/{kind}/{id}", post(right::restore))
        .route("/who", post(right::who))
        .route("/line-ups", post(kept::keep))
        .route("/line-ups/{id}/forget", post(kept::forget))
        .route("/plan", post(kept::plan))
        .route("/days/{id}/plan", get(planned::show))
        .route("/days/{id}/plan/keep", post(planned::keep))
        .route("/days/{id}/plan/forget", post(planned::forget))
        .route("/plan/{id}/drop", post(kept::unplan))
        .route("/line-up", get(lineup::show))
        .route("/line-up/choose", get(lineup::chosen))
        .route("/line-up/chart.svg", get(lineup::svg))
        .route("/line-up/chart.png", get(lineup::png))
        .route("/line-up/data.csv", get(curves::csv))
        .route("/line-up/data/{ending}", get(curves::show))
        .route("/line-up/comparison.json", get(lineup::json))
        .route("/reports", get(reports::list).post(reports::issue))
        .route("/reports/new", get(reports::ask))
        .route("/reports/{id}", get(reports::show))
        .route("/reports/{id}/sheet.html", get(reports::sheet))
        .route("/reports/{id}/paper/{size}", get(reports::pdf))
        .route("/reports/{id}/figures.json", get(reports::figures))
        .route("/reports/{id}/share", post(reports::share))
        .route("/reports/{id}/links/{one}/withdraw", post(reports::withdraw))
        .route("/shared/{secret}", get(reports::shared))
        .route("/settings/shop", post(settings::shop))
        .route("/settings/mark", post(settings::mark).layer(DefaultBodyLimit::max(MAP_LIMIT)))
        .route("/search", get(search::show))
        .route("/settings/ways", post(settings::ways))
        .route("/settings/checks", get(checks::show).post(checks::change))
        .route("/theme", post(workshop::theme))
        .route("/health", get(workshop::health))
        .layer(DefaultBodyLimit::max(BODY_LIMIT))
        .route("/vehicles/{id}/maps/{map}/price", post(custody::price))
        .route("/vehicles/{id}/driven", post(vehicles::driven).layer(DefaultBodyLimit::max(MAP_LIMIT)))
        .route(
            "/vehicles/{id}/maps",
            get(lineage::show).post(custody::map).layer(DefaultBodyLimit::max(MAP_LIMIT)),
        )
        .route(
            "/catalogue",
            get(catalogue::show).post(catalogue::files).layer(DefaultBodyLimit::max(imports::UPLOAD_LIMIT)),
        )
        .route("/catalogue/store", post(catalogue::store))
        .route("/catalogue/{id}/leave", post(catalogue::leave))
        .route("/days/{id}/files", post(imports::upload).layer(DefaultBodyLimit::max(imports::UPLOAD_LIMIT)))
        .route("/attach", post(attachments::attach).layer(DefaultBodyLimit::max(MAP_LIMIT)))
        .route("/assets/{version}/{*path}", get(assets::serve))
        .fallback(pages::not_found)
        .method_not_allowed_fallback(pages::not_allowed)
        .layer(tower_http::timeout::RequestBodyTimeoutLayer::new(BODY_IDLE))
        .layer(axum::middleware::from_fn_with_state(state.clone(), decimal::decimal_mark))
        .layer(axum::middleware::from_fn_with_state(state.clone(), guard::protect))
        .with_state(state)
}
