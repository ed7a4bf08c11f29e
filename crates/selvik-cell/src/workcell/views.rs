//! Whether saved views, tours, visibility sets and kept findings can be what they say.

use selvik_core::spatial::Pose;
use selvik_core::view::Tour;
use selvik_formats::Result;

use super::names::Names;
use super::refusals::{Refusals, refuse, unique};
use crate::document::{
    CellDocument, FindingDocument, KeptSectionDocument, LINKS, MOST_SECTIONS, SavedViewDocument,
    SectionDocument, TourDocument, TourStopDocument, ViewpointDocument, VisibilitySetDocument,
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
    let sections = document.sections.iter().map(|s| &s.id);
    refusals.note(unique("sections", sections));
    refusals.note_each(document.sections.iter().map(|s| kept_section(s, names)));
    let findings = document.findings.iter().map(|f| &f.id);
    refusals.note(unique("findings", findings));
    refusals.note_each(document.findings.iter().map(finding));
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
    can_cut(&view.sections, &place)?;
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

fn kept_section(kept: &KeptSectionDocument, names: &Names) -> Result<()> {
    let place = format!("section \"{}\"", kept.id);
    if let Some(id) = &kept.section.fixed_to {
        names.item(id, &place)?;
    }
    can_cut(std::slice::from_ref(&kept.section), &place)
}

/// What a finding is about may be gone: then it says so.
fn finding(finding: &FindingDocument) -> Result<()> {
    let place = format!("finding \"{}\"", finding.id);
    if finding.picks.is_empty() || finding.picks.len() > LINKS {
        let message = format!("it is of one to {LINKS} things");
        return Err(refuse(&place, &message));
    }
    let at = finding.picks.iter().filter_map(|p| p.at_mm).flatten();
    let joints = finding.joints_deg_or_mm.values().copied();
    let mut numbers = at.chain(joints).chain(finding.time_s);
    if !numbers.all(f64::is_finite) {
        return Err(refuse(&place, "every number must be finite"));
    }
    let Some(view) = &finding.view else {
        return Ok(());
    };
    can_cut(&view.sections, &place)?;
    sound(&view.viewpoint, &place)
}

fn can_cut(sections: &[SectionDocument], place: &str) -> Result<()> {
    if sections.len() > MOST_SECTIONS {
        return Err(refuse(place, too_many(sections.len())));
    }
    for section in sections {
        let removed = section.removed(&Pose::identity());
        removed.map_err(|why| refuse(place, why))?;
    }
    Ok(())
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
