use nalgebra::Unit;
use selvik_core::clearance::{nearest_triangle, triangle_distance};
use selvik_core::measure::{Ball, Carrier};
use selvik_core::mesh::{Edge, EdgeShape, Face, Features, Hierarchy, Model, Slot, Surface};
use selvik_core::robot::{Body, BodyId, NodeId};
use selvik_core::spatial::{Aabb, Point, Pose, Vector};
use selvik_formats::{FormatError, Result};

use crate::document::{KnownKind, PickDocument, PickKind};
use crate::questions::Asked;

/// Something that was picked, where it is now.
pub(super) struct Thing<'a> {
    /// Position of its item.
    pub item: usize,
    /// The body, of what is picked of one.
    pub body: Option<BodyId>,
    /// What it is called, if by another name than its body or item.
    pub name: Option<String>,
    pub is: Is<'a>,
    pub parts: Vec<Part<'a>>,
}

/// What it is.
pub(super) enum Is<'a> {
    /// A spot or a corner, the origin of a frame, a target.
    Point {
        at: Point,
        kind: PickKind,
        /// Of a frame or target, along its Z.
        axis: Option<Vector>,
    },
    Edge(&'a Edge),
    Face {
        face: &'a Face,
        edges: Vec<&'a Edge>,
        slot: Option<&'a Slot>,
    },
    Item,
}

/// A piece of it, by which distances are measured.
pub(super) struct Part<'a> {
    /// What it hangs on.
    pub node: NodeId,
    /// Where that stands.
    pub pose: Pose,
    pub form: Form<'a>,
}

/// What a piece is made of.
pub(super) enum Form<'a> {
    /// A body, inside of which something may lie.
    Body(&'a Surface),
    /// Triangles, lines or points with the corners that they are spanned by.
    Bare(Box<Hierarchy>, Vec<Ball>),
}

impl<'a> Part<'a> {
    pub fn of_body(asked: &'a Asked, body: BodyId) -> Self {
        let (surface, pose) = asked.placed(body);
        Self {
            node: asked.workcell().assembly.body(body).node,
            pose,
            form: Form::Body(surface),
        }
    }

    /// The body, if it is one.
    pub fn surface(&self) -> Option<&Surface> {
        match self.form {
            Form::Body(surface) => Some(surface),
            Form::Bare(..) => None,
        }
    }

    pub fn hierarchy(&self) -> &Hierarchy {
        match &self.form {
            Form::Body(surface) => surface.hierarchy(),
            Form::Bare(hierarchy, _) => hierarchy,
        }
    }

    /// Centre and radius (m) of a ball round it, in its own frame.
    pub fn ball(&self) -> (Point, f64) {
        match &self.form {
            Form::Body(surface) => surface.ball(),
            Form::Bare(_, balls) => {
                let middle = Aabb::around(balls.iter().map(|b| b.0)).expect("not empty");
                let centre = middle.centre();
                let far = balls.iter().map(|(p, r)| (p - centre).norm() + r);
                (centre, far.fold(0.0, f64::max))
            }
        }
    }

    /// What its hull is spanned by.
    pub fn balls(&self) -> Vec<Ball> {
        match &self.form {
            Form::Body(surface) => surface.outermost(),
            Form::Bare(_, balls) => balls.clone(),
        }
    }
}

/// What was picked is found again if it is no farther away than this share of its body, or so much, m.
const STRAYED: f64 = 0.1;
const STRAYED_AT_LEAST: f64 = 0.01;

/// Nothing is picked farther away than this: the earth is not so large.
const FARTHEST_MM: f64 = 1e10;

impl<'a> Thing<'a> {
    /// What `pick` says, with everything where `asked` has it.
    pub fn of(asked: &'a Asked, pick: &PickDocument) -> Result<Self> {
        match pick.kind {
            PickKind::Item => Self::item(asked, &pick.on),
            PickKind::Target => Self::target(asked, &pick.on),
            PickKind::Frame => {
                let (item, node) = asked.frame(&pick.on)?;
                let placed = (node, asked.node_pose(node));
                Ok(Self::point(item, None, placed, Point::origin(), pick.kind))
            }
            kind => {
                let at = pick
                    .at_mm
                    .filter(|at| at.iter().all(|x| x.abs() < FARTHEST_MM));
                let at = at.ok_or_else(|| FormatError::said("a pick says where, in mm"))?;
                Self::on_body(asked, pick, kind, &Point::from(at.map(|x| x * 1e-3)))
            }
        }
    }

    fn item(asked: &'a Asked, id: &str) -> Result<Self> {
        let item = asked.position(id.split('/').next().unwrap_or(id))?;
        let bodies = match id.split_once('/') {
            Some(_) => asked.bodies(id)?,
            None => asked.bodies_of(id)?,
        };
        if bodies.is_empty() {
            return Err(FormatError::said(format!("\"{id}\" has no geometry")));
        }
        Ok(Self {
            item,
            body: None,
            name: None,
            is: Is::Item,
            parts: bodies
                .into_iter()
                .map(|b| Part::of_body(asked, b))
                .collect(),
        })
    }

    fn point(
        item: usize,
        body: Option<BodyId>,
        (node, pose): (NodeId, Pose),
        at: Point,
        kind: PickKind,
    ) -> Self {
        let form = Form::Bare(Box::new(Hierarchy::over(&[[at; 3]], &[])), vec![(at, 0.0)]);
        Self {
            item,
            body,
            name: None,
            is: Is::Point {
                at,
                kind,
                axis: (kind == PickKind::Frame).then(Vector::z),
            },
            parts: vec![Part { node, pose, form }],
        }
    }

    /// A target of a program, `program/target`.
    fn target(asked: &'a Asked, on: &str) -> Result<Self> {
        let gone = || FormatError::said(format!("there is no target \"{on}\""));
        let (program, target) = on.split_once('/').ok_or_else(gone)?;
        let workcell = asked.workcell();
        let target = workcell.target(program, target).ok_or_else(gone)?;
        let mut programs = workcell.document.programs.iter();
        let program = programs.find(|p| p.id == program).ok_or_else(gone)?;
        let assembly = &workcell.assembly;
        let own = target.pose.to_pose();
        let (item, pose) = match &target.frame {
            Some(id) => (asked.position(id)?, own),
            // Told in the world: as something sees it that never moves.
            None => {
                let mut items = 0..assembly.cell().items().len();
                let still =
                    items.find(|&i| assembly.moving_above(assembly.item_node(i)).is_empty());
                let still = still.ok_or_else(|| {
                    FormatError::said(
                        "everything moves here: a target needs a frame to be measured",
                    )
                })?;
                (still, asked.item_pose(still).inverse() * own)
            }
        };
        let node = assembly.item_node(item);
        let at = Point::from(pose.translation.vector);
        let mut thing = Self::point(
            item,
            None,
            (node, asked.node_pose(node)),
            at,
            PickKind::Target,
        );
        thing.name = Some(format!("{} of {}", target.id, program.name));
        thing.is = Is::Point {
            at,
            kind: PickKind::Target,
            axis: Some(pose.rotation * Vector::z()),
        };
        Ok(thing)
    }

    fn on_body(asked: &'a Asked, pick: &PickDocument, kind: PickKind, at: &Point) -> Result<Self> {
        let on = &pick.on;
        let bodies = asked.bodies(on)?;
        let &[id] = bodies.as_slice() else {
            let message = format!("\"{on}\" has several bodies; say which link");
            return Err(FormatError::said(message));
        };
        let body: &'a Body = asked.workcell().assembly.body(id);
        let node = body.node;
        let pose = asked.node_pose(node);
        if kind == PickKind::Spot {
            return Ok(Self::point(body.item, Some(id), (node, pose), *at, kind));
        }
        let features = body.surface.features();
        let size =
            (body.surface.bounds().half_extents().norm() * 2.0 * STRAYED).max(STRAYED_AT_LEAST);
        let gone = |what: &str| {
            let name = asked.workcell().assembly.body_name(id);
            let what = pick.is.map_or_else(|| what.to_owned(), word);
            FormatError::said(format!("the {what} of {name} is no longer there"))
        };
        match kind {
            PickKind::Corner => {
                let ends = features.edges().iter().filter(|e| !e.is_closed());
                let ends = ends.flat_map(|e| [e.points[0], e.points[e.points.len() - 1]]);
                let off = |p: &Point| (p - at).norm();
                let nearest = ends.min_by(|p, q| off(p).total_cmp(&off(q)));
                let nearest = nearest.filter(|p| off(p) < size);
                let corner = nearest.ok_or_else(|| gone("corner"))?;
                Ok(Self::point(body.item, Some(id), (node, pose), corner, kind))
            }
            PickKind::Edge => {
                let alike = |e: &&Edge| pick.is.is_none_or(|is| is == kind_of_edge(e));
                let edges = features.edges().iter().filter(alike);
                let edges = edges.map(|e| (e, e.nearest(at).1));
                let nearest = edges.min_by(|a, b| a.1.total_cmp(&b.1));
                let nearest = nearest.filter(|(_, off)| *off < size);
                let (edge, _) = nearest.ok_or_else(|| gone("edge"))?;
                Ok(Self {
                    item: body.item,
                    body: Some(id),
                    name: None,
                    is: Is::Edge(edge),
                    parts: vec![Part {
                        node,
                        pose,
                        form: lines(&edge.points),
                    }],
                })
            }
            _ => {
                let face = nearest_face(body, at, pick.is);
                let face = face.filter(|(_, off)| *off < size);
                let (face, _) = face.ok_or_else(|| gone("face"))?;
                Ok(Self {
                    item: body.item,
                    body: Some(id),
                    name: None,
                    parts: vec![Part {
                        node,
                        pose,
                        form: triangles(body, &features.faces()[face]),
                    }],
                    is: Is::Face {
                        face: &features.faces()[face],
                        edges: features
                            .edges_along(face)
                            .map(|e| &features.edges()[e])
                            .collect(),
                        slot: slot_of(features, face),
                    },
                })
            }
        }
    }

    /// What it is called: itself, or what it is of.
    pub fn told(&self, asked: &Asked) -> String {
        let assembly = &asked.workcell().assembly;
        match (&self.name, self.body) {
            (Some(name), _) => name.clone(),
            (None, Some(body)) => assembly.body_name(body),
            (None, None) => assembly.cell().items()[self.item].name.clone(),
        }
    }

    /// Where its own frame stands.
    pub fn pose(&self) -> Pose {
        self.parts[0].pose
    }

    /// What it hangs on, and the point there by which it is followed: its middle, or what stands for it.
    pub fn followed(&self, asked: &Asked) -> (NodeId, Point) {
        let own = |world: Point| (self.parts[0].node, self.pose().inverse() * world);
        match (&self.is, self.middle()) {
            (_, Some(middle)) => own(middle),
            (Is::Point { at, .. }, None) => (self.parts[0].node, *at),
            (Is::Edge(edge), None) => {
                let (a, b) = (edge.points[0], edge.points[edge.points.len() - 1]);
                (self.parts[0].node, nalgebra::center(&a, &b))
            }
            (Is::Face { face, .. }, None) => (self.parts[0].node, face.middle),
            (Is::Item, None) => {
                let node = asked.workcell().assembly.item_node(self.item);
                (node, Point::origin())
            }
        }
    }

    /// Of a frame or target, along its Z, in the world.
    pub fn axis(&self) -> Option<Vector> {
        match &self.is {
            Is::Point { axis, .. } => axis.map(|axis| self.pose().rotation * axis),
            _ => None,
        }
    }

    /// The node whose frame it is, if it is one.
    pub fn frame(&self) -> Option<NodeId> {
        let is = matches!(
            self.is,
            Is::Point {
                kind: PickKind::Frame,
                ..
            }
        );
        is.then(|| self.parts[0].node)
    }

    /// The point, line or plane that carries it, in the world.
    pub fn carrier(&self) -> Option<Carrier> {
        let pose = self.pose();
        let line = |point: &Point, along: &Vector| Carrier::Line {
            point: pose * point,
            along: Unit::new_normalize(pose.rotation * along),
        };
        match &self.is {
            Is::Point { at, .. } => Some(Carrier::Point(pose * at)),
            Is::Edge(edge) => match edge.shape {
                EdgeShape::Straight => {
                    let (a, b) = (edge.points[0], edge.points[edge.points.len() - 1]);
                    Some(line(&nalgebra::center(&a, &b), &(b - a)))
                }
                EdgeShape::Circle { centre, axis, .. } => Some(line(&centre, &axis)),
                EdgeShape::Curve => None,
            },
            Is::Face { face, .. } => match face.model? {
                Model::Plane { normal, .. } => Some(Carrier::Plane {
                    point: pose * face.middle,
                    normal: pose.rotation * normal,
                }),
                Model::Sphere { centre, .. } => Some(Carrier::Point(pose * centre)),
                turned => turned.axis().map(|(_, axis)| line(&face.middle, &axis)),
            },
            Is::Item => None,
        }
    }

    /// The point it is told by, in the world: a corner, a centre.
    pub fn middle(&self) -> Option<Point> {
        let pose = self.pose();
        match &self.is {
            Is::Point { at, .. } => Some(pose * at),
            Is::Edge(edge) => match edge.shape {
                EdgeShape::Circle { centre, .. } => Some(pose * centre),
                _ => None,
            },
            Is::Face { face, .. } => match face.model? {
                Model::Plane { .. } => None,
                _ => Some(pose * face.middle),
            },
            Is::Item => None,
        }
    }
}

fn lines(points: &[Point]) -> Form<'static> {
    let pieces: Vec<[Point; 3]> = points.windows(2).map(|w| [w[0], w[1], w[1]]).collect();
    let balls = points.iter().map(|p| (*p, 0.0)).collect();
    Form::Bare(Box::new(Hierarchy::over(&pieces, &[])), balls)
}

fn triangles(body: &Body, face: &Face) -> Form<'static> {
    let mesh = body.surface.mesh();
    let pieces: Vec<[Point; 3]> = face
        .triangles
        .iter()
        .map(|&t| mesh.corners(t as usize))
        .collect();
    let mut corners: Vec<u32> = face
        .triangles
        .iter()
        .flat_map(|&t| mesh.triangles()[t as usize])
        .collect();
    corners.sort_unstable();
    corners.dedup();
    let ball = |&v: &u32| (mesh.vertices()[v as usize], 0.0);
    let balls = corners.iter().map(ball).collect();
    Form::Bare(Box::new(Hierarchy::over(&pieces, &[])), balls)
}

/// What an edge is.
pub(super) fn kind_of_edge(edge: &Edge) -> KnownKind {
    match edge.shape {
        EdgeShape::Straight => KnownKind::Edge,
        EdgeShape::Circle { whole: true, .. } => KnownKind::Circle,
        EdgeShape::Circle { .. } => KnownKind::Arc,
        EdgeShape::Curve => KnownKind::Curve,
    }
}

/// What a face is.
pub(super) fn kind_of_face(face: &Face, in_slot: bool) -> KnownKind {
    match face.model {
        _ if in_slot => KnownKind::Slot,
        None => KnownKind::CurvedFace,
        Some(Model::Plane { .. }) => KnownKind::Plane,
        Some(Model::Cylinder { .. }) if face.hollow => KnownKind::Hole,
        Some(Model::Cylinder { .. }) => KnownKind::Cylinder,
        Some(Model::Cone { .. }) => KnownKind::Cone,
        Some(Model::Sphere { .. }) => KnownKind::Sphere,
        Some(Model::Torus { .. }) => KnownKind::Torus,
    }
}

/// The slot that a face is a wall of.
pub(super) fn slot_of(features: &Features, face: usize) -> Option<&Slot> {
    features.slots().iter().find(|s| s.faces.contains(&face))
}

/// The face nearest to `at` of those that are of this kind, if one is asked for, and how far away it is, m.
fn nearest_face(body: &Body, at: &Point, is: Option<KnownKind>) -> Option<(usize, f64)> {
    let features = body.surface.features();
    let alike = |face: usize| {
        let own = || kind_of_face(&features.faces()[face], slot_of(features, face).is_some());
        is.is_none_or(|is| is == own())
    };
    let (triangle, off) = nearest_triangle(&body.surface, at);
    let nearest = features.face_of(triangle);
    if alike(nearest) {
        return Some((nearest, off));
    }
    let mesh = body.surface.mesh();
    let away = |face: usize| {
        let triangles = features.faces()[face].triangles.iter();
        let squared =
            triangles.map(|&t| triangle_distance(&mesh.corners(t as usize), &[*at; 3]).squared);
        squared.fold(f64::INFINITY, f64::min).sqrt()
    };
    let others = (0..features.faces().len()).filter(|&face| alike(face));
    let others = others.map(|face| (face, away(face)));
    others.min_by(|a, b| a.1.total_cmp(&b.1))
}

/// A kind in words.
fn word(kind: KnownKind) -> String {
    let told = serde_json::to_value(kind).unwrap_or_default();
    told.as_str().unwrap_or_default().replace('_', " ")
}

/// Where a pick is, for what is to be come to.
pub(crate) struct PickedPlace {
    pub name: String,
    /// In the world; on a face just where it was picked.
    pub at: Point,
    /// The body it lies on.
    pub body: Option<BodyId>,
    /// Of a frame or target, along its Z.
    pub axis: Option<Vector>,
}

pub(crate) fn place_of(asked: &Asked, pick: &PickDocument) -> Result<PickedPlace> {
    let thing = Thing::of(asked, pick)?;
    let on_face = matches!(pick.kind, PickKind::Face | PickKind::Spot);
    let (node, local) = match pick.at_mm.filter(|_| on_face) {
        Some(at) => (thing.parts[0].node, Point::from(at.map(|x| x * 1e-3))),
        None => thing.followed(asked),
    };
    Ok(PickedPlace {
        name: thing.told(asked),
        at: asked.node_pose(node) * local,
        body: thing.body,
        axis: thing.axis(),
    })
}
