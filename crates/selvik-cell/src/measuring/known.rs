use selvik_core::mesh::{Edge, EdgeShape, Face, Model, Slot, Surface};
use selvik_core::section::mass_together;
use selvik_core::spatial::{Aabb, Point, Pose, Vector};
use serde::Serialize;
use std::f64::consts::TAU;
use utoipa::ToSchema;

use super::thing::{Is, Part, Thing, kind_of_edge, kind_of_face};
use super::value::Values;
use crate::document::{Amount, KnownKind, KnownValue, PickKind, ValueKind};
use crate::questions::Asked;
use crate::report::millimetres;

/// What is known of one thing.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Known {
    /// Id of the item it is of.
    pub item: String,
    /// Name of the body it is of, or of the item.
    pub of: String,
    /// What it is.
    pub is: KnownKind,
    /// All that is known, coordinates in the chosen frame; what says most comes first.
    pub values: Vec<KnownValue>,
    /// Lines that show it: edges, axes; world coordinates.
    pub lines_mm: Vec<Vec<[f64; 3]>>,
    /// Points that show it: corners, centres.
    pub points_mm: Vec<[f64; 3]>,
}

/// What is known of `thing`, coordinates in `frame`; volumes of items only if asked for: they may take a second.
pub(super) fn known(asked: &Asked, thing: &Thing, frame: &Pose, volumes: bool) -> Known {
    let assembly = &asked.workcell().assembly;
    let item = &assembly.cell().items()[thing.item];
    let of = thing.told(asked);
    let mut told = Told {
        values: Values {
            frame,
            all: Vec::new(),
        },
        pose: thing.pose(),
        lines: Vec::new(),
        points: Vec::new(),
    };
    let is = match &thing.is {
        Is::Point { at, kind, .. } => told.point(at, *kind, thing.axis()),
        Is::Edge(edge) => {
            told.edge(edge);
            kind_of_edge(edge)
        }
        Is::Face { face, edges, slot } => {
            told.face(face, edges, *slot);
            kind_of_face(face, slot.is_some())
        }
        Is::Item => told.item(asked, thing, volumes),
    };
    if !matches!(thing.is, Is::Point { .. }) {
        told.size(&thing.parts);
    }
    Known {
        item: item.id.0.clone(),
        of,
        is,
        values: told.values.all,
        lines_mm: told.lines,
        points_mm: told.points,
    }
}

struct Told<'a> {
    values: Values<'a>,
    /// Where the thing's own frame stands.
    pose: Pose,
    lines: Vec<Vec<[f64; 3]>>,
    points: Vec<[f64; 3]>,
}

impl Told<'_> {
    fn point(&mut self, at: &Point, kind: PickKind, axis: Option<Vector>) -> KnownKind {
        let world = self.pose * at;
        self.values.point(ValueKind::At, &world);
        self.points.push(millimetres(&world));
        if let Some(axis) = axis {
            self.values.direction(ValueKind::Axis, &axis);
        }
        match kind {
            PickKind::Spot => KnownKind::Spot,
            PickKind::Frame => KnownKind::Frame,
            PickKind::Target => KnownKind::Target,
            _ => KnownKind::Corner,
        }
    }

    fn edge(&mut self, edge: &Edge) {
        let (first, last) = (edge.points[0], edge.points[edge.points.len() - 1]);
        self.line(&edge.points);
        match edge.shape {
            EdgeShape::Straight => {
                self.values.length(ValueKind::Length, (last - first).norm());
                let along = self.pose.rotation * (last - first).normalize();
                self.values.direction(ValueKind::Direction, &along);
                self.values.point(ValueKind::At, &(self.pose * first));
                self.values.point(ValueKind::At, &(self.pose * last));
            }
            EdgeShape::Circle {
                centre,
                axis,
                radius,
                whole,
                deviation,
            } => {
                self.values.length(ValueKind::Diameter, radius * 2.0);
                self.values.length(ValueKind::Radius, radius);
                let round = if whole { TAU } else { edge.length / radius };
                self.values.length(ValueKind::Length, round * radius);
                if !whole {
                    self.values.angle(ValueKind::GoesRound, round);
                }
                self.centre(&centre);
                let axis = self.pose.rotation * *axis;
                self.values.direction(ValueKind::Axis, &axis);
                self.values.length(ValueKind::OffAtMost, deviation);
            }
            EdgeShape::Curve => {
                self.values.length(ValueKind::Length, edge.length);
            }
        }
    }

    fn face(&mut self, face: &Face, edges: &[&Edge], slot: Option<&Slot>) {
        for edge in edges {
            self.line(&edge.points);
        }
        if let Some(slot) = slot {
            self.values.length(ValueKind::Width, slot.width);
            let between = slot.between_centres();
            self.values.length(ValueKind::BetweenCentres, between);
            self.line(&slot.centres);
        }
        match face.model {
            None => {}
            Some(Model::Plane { normal, .. }) => {
                let normal = self.pose.rotation * *normal;
                self.values.direction(ValueKind::Normal, &normal);
                self.values
                    .point(ValueKind::Centroid, &(self.pose * face.middle));
            }
            Some(Model::Cylinder { radius, .. }) => {
                self.values.length(ValueKind::Diameter, radius * 2.0);
                self.values.length(ValueKind::Radius, radius);
                self.turned(face);
            }
            Some(Model::Cone {
                half_angle, apex, ..
            }) => {
                self.values.angle(ValueKind::OpeningAngle, half_angle * 2.0);
                self.values.point(ValueKind::Apex, &(self.pose * apex));
                self.turned(face);
            }
            Some(Model::Sphere { centre, radius }) => {
                self.values.length(ValueKind::Diameter, radius * 2.0);
                self.values.length(ValueKind::Radius, radius);
                self.centre(&centre);
            }
            Some(Model::Torus { radius, tube, .. }) => {
                self.values.length(ValueKind::RingDiameter, radius * 2.0);
                self.values.length(ValueKind::TubeRadius, tube);
                self.turned(face);
            }
        }
        self.values
            .add(ValueKind::Area, Amount::AreaMm2(face.area * 1e6));
        if face.model.is_some() {
            self.values.length(ValueKind::OffAtMost, face.worst);
        }
    }

    /// The axis of a turned face.
    fn turned(&mut self, face: &Face) {
        let Some((_, axis)) = face.model.and_then(|m| m.axis()) else {
            return;
        };
        self.values.length(ValueKind::Length, face.length);
        if face.span < TAU - 1e-6 {
            self.values.angle(ValueKind::GoesRound, face.span);
        }
        self.centre(&face.middle);
        self.values
            .direction(ValueKind::Axis, &(self.pose.rotation * *axis));
        let half = *axis * (face.length * 0.6);
        self.line(&[face.middle - half, face.middle + half]);
    }

    fn item(&mut self, asked: &Asked, thing: &Thing, volumes: bool) -> KnownKind {
        let bodies: Vec<(&Surface, Pose)> = thing
            .parts
            .iter()
            .filter_map(|part| Some((part.surface()?, part.pose)))
            .collect();
        let closed = volumes && bodies.iter().all(|(surface, _)| surface.open_edges() == 0);
        if let Some(mass) = closed.then(|| mass_together(&bodies)).flatten() {
            self.values
                .add(ValueKind::Volume, Amount::VolumeMm3(mass.volume * 1e9));
            self.values
                .add(ValueKind::Area, Amount::AreaMm2(mass.area * 1e6));
            self.values.point(ValueKind::Centroid, &mass.centroid);
        }
        let own = asked.item_pose(thing.item);
        self.values.point(ValueKind::At, &(own * Point::origin()));
        KnownKind::Item
    }

    fn centre(&mut self, centre: &Point) {
        let world = self.pose * centre;
        self.values.point(ValueKind::Centre, &world);
        self.points.push(millimetres(&world));
    }

    fn line(&mut self, points: &[Point]) {
        let world = points.iter().map(|p| millimetres(&(self.pose * p)));
        self.lines.push(world.collect());
    }

    /// How long it is along the axes of the frame.
    fn size(&mut self, parts: &[Part]) {
        let back = self.values.frame.inverse();
        let boxes = parts.iter().flat_map(|part| {
            let seen = back * part.pose;
            part.balls().into_iter().flat_map(move |(p, radius)| {
                let by = Vector::repeat(radius);
                [seen * p - by, seen * p + by]
            })
        });
        if let Some(bounds) = Aabb::around(boxes) {
            let size = bounds.half_extents() * 2e3;
            self.values
                .add(ValueKind::Size, Amount::SizeMm(size.into()));
        }
    }
}
