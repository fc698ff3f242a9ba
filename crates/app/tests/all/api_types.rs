//! The front end's types are generated from the server's. `UPDATE_TYPES=1 cargo test --test all api_types` writes them.

use rhizograph_app::api::{
    AccessTold, AlikeTold, AwayRequest, AwayTold, BroughtIn, CarryRequest, CarryTold, CommandRequest, DecidedTold,
    Delivery, DrawingView, EnterRequest, Event, FileTold, GivenName, GlanceRequest, GlanceTold, HandOff, Here, Hold,
    JobInfo, LandingRequest, LandingTold, LeakTold, LinesRequest, Me, Named, NamesTold, NewBlank, NewColourModel,
    NewOrder, NewProduction, NewShot, Person, PlaceRequest, ProductionInfo, Readiness, Refusal, RegisterRequest,
    ShotLift, ShotName, ShotReplace, SpanTold, StepRequest, StepTold, StillFacts, StripRequest, TriedTold, TryRequest,
};
use rhizograph_core::model::paint::ColourModel;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use ts_rs::{Config, TS};

fn export(dir: &Path) {
    let config = Config::new().with_out_dir(dir).with_large_int("number");
    AccessTold::export_all(&config).unwrap();
    EnterRequest::export_all(&config).unwrap();
    AwayRequest::export_all(&config).unwrap();
    AwayTold::export_all(&config).unwrap();
    Here::export_all(&config).unwrap();
    Me::export_all(&config).unwrap();
    Named::export_all(&config).unwrap();
    Person::export_all(&config).unwrap();
    NewOrder::export_all(&config).unwrap();
    GivenName::export_all(&config).unwrap();
    ShotName::export_all(&config).unwrap();
    StillFacts::export_all(&config).unwrap();
    BroughtIn::export_all(&config).unwrap();
    CommandRequest::export_all(&config).unwrap();
    DrawingView::export_all(&config).unwrap();
    FileTold::export_all(&config).unwrap();
    HandOff::export_all(&config).unwrap();
    Hold::export_all(&config).unwrap();
    NamesTold::export_all(&config).unwrap();
    Event::export_all(&config).unwrap();
    Delivery::export_all(&config).unwrap();
    GlanceRequest::export_all(&config).unwrap();
    GlanceTold::export_all(&config).unwrap();
    JobInfo::export_all(&config).unwrap();
    RegisterRequest::export_all(&config).unwrap();
    ShotLift::export_all(&config).unwrap();
    StripRequest::export_all(&config).unwrap();
    PlaceRequest::export_all(&config).unwrap();
    LeakTold::export_all(&config).unwrap();
    AlikeTold::export_all(&config).unwrap();
    DecidedTold::export_all(&config).unwrap();
    SpanTold::export_all(&config).unwrap();
    LandingRequest::export_all(&config).unwrap();
    LandingTold::export_all(&config).unwrap();
    LinesRequest::export_all(&config).unwrap();
    TriedTold::export_all(&config).unwrap();
    TryRequest::export_all(&config).unwrap();
    NewBlank::export_all(&config).unwrap();
    NewProduction::export_all(&config).unwrap();
    NewShot::export_all(&config).unwrap();
    NewColourModel::export_all(&config).unwrap();
    ColourModel::export_all(&config).unwrap();
    ShotReplace::export_all(&config).unwrap();
    CarryRequest::export_all(&config).unwrap();
    CarryTold::export_all(&config).unwrap();
    ProductionInfo::export_all(&config).unwrap();
    Readiness::export_all(&config).unwrap();
    Refusal::export_all(&config).unwrap();
    StepRequest::export_all(&config).unwrap();
    StepTold::export_all(&config).unwrap();
}

fn files(dir: &Path) -> BTreeMap<String, String> {
    let Ok(list) = std::fs::read_dir(dir) else {
        return BTreeMap::new();
    };
    list.map(|f| f.unwrap().path())
        .filter(|p| p.is_file())
        .map(|p| (p.file_name().unwrap().to_string_lossy().into_owned(), std::fs::read_to_string(&p).unwrap()))
        .collect()
}

#[test]
fn the_front_ends_types_are_those_of_the_server() {
    let kept = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../web/src/lib/types");
    if std::env::var_os("UPDATE_TYPES").is_some() {
        std::fs::remove_dir_all(&kept).ok();
        export(&kept);
        return;
    }
    let fresh = std::env::temp_dir().join(format!("rhizograph-types-{}", std::process::id()));
    export(&fresh);
    let (want, have) = (files(&fresh), files(&kept));
    std::fs::remove_dir_all(&fresh).ok();
    assert!(want.len() > 20);
    assert_eq!(have.keys().collect::<Vec<_>>(), want.keys().collect::<Vec<_>>());
    for (name, text) in want {
        assert_eq!(have[&name], text, "{name} is out of date");
    }
}
