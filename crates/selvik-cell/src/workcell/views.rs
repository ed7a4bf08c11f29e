//! Whether saved views, tours and visibility sets name what is there.

use selvik_core::spatial::Pose;
use selvik_core::view::Tour;
use selvik_formats::Result;

use super::names::Names;
use super::refusals::{Refusals, refuse, unique};
use crate::document::{
    CellDocument, MOST_SECTIONS, SavedViewDocument, TourDocument, TourStopDocument,
    ViewpointDocument, VisibilitySetDocument,
};
use crate::sections::too_many;

/// Notes what is wrong with the views, tours and sets of a document.
pub(super) fn check(document: &CellDocument, names: &Names, refusals: &mut Refusals) {
    refusals.note(unique("views", document.views.iter().map(|v| &v.id)));
    refusals.note(unique(
        "visibility_sets",
        document.visibility_sets.iter().map(|s| &s.id),
    ));
    refusals.note(unique("tours", document.tours.iter().map(|t| &t.id)));
    refusals.note_each(document.visibility_sets.iter().map(|s| set(s, names)));
    refusals.note_each(document.views.iter().map(|v| view(v, document, names)));
    refusals.note_each(document.tours.iter().map(|t| tour(t, document)));
    if let Some(id) = &document.opening_view {
        refusals.note(known_view(id, document, "opening_view"));
    }
}

fn set(set: &VisibilitySetDocument, names: &Names) -> Result<()> {
    let place = format!("visibility set \"{}\"", set.id);
    set.items
        .iter()
        .try_for_each(|id| names.item(id, &place).map(drop))
}

fn view(view: &SavedViewDocument, document: &CellDocument, names: &Names) -> Result<()> {
    let place = format!("view \"{}\"", view.id);
    let fixed_to = view.sections.iter().filter_map(|s| s.fixed_to.as_ref());
    let named = view.hidden.iter().chain(&view.uncut).chain(fixed_to);
    for id in named {
        names.item(id, &place)?;
    }
    if view.sections.len() > MOST_SECTIONS {
        return Err(refuse(&place, too_many(view.sections.len())));
    }
    for section in &view.sections {
        section
            .removed(&Pose::identity())
            .map_err(|why| refuse(&place, why))?;
    }
    let known = |id: &&String| document.visibility_sets.iter().any(|s| s.id == **id);
    if let Some(id) = view.sets.iter().flatten().find(|id| !known(id)) {
        return Err(refuse(
            &place,
            format!("there is no visibility set \"{id}\""),
        ));
    }
    sound(&view.viewpoint, &place)
}

fn tour(tour: &TourDocument, document: &CellDocument) -> Result<()> {
    let place = format!("tour \"{}\"", tour.id);
    for stop in &tour.stops {
        sound(&stop.viewpoint, &place)?;
        if let Some(id) = &stop.view {
            known_view(id, document, &place)?;
        }
    }
    let stops = tour.stops.iter().map(TourStopDocument::to_stop).collect();
    Tour::new(stops).map(drop).map_err(|e| refuse(&place, e))
}

fn sound(viewpoint: &ViewpointDocument, place: &str) -> Result<()> {
    if viewpoint.is_sound() {
        return Ok(());
    }
    Err(refuse(
        place,
        "every number must be finite; distance, lens and width positive",
    ))
}

fn known_view(id: &str, document: &CellDocument, place: &str) -> Result<()> {
    if document.views.iter().any(|v| v.id == id) {
        return Ok(());
    }
    Err(refuse(place, format!("there is no view \"{id}\"")))
}
