use crate::spatial::{Point, Vector};

/// A point where an edge of one triangle passes through the other, if their surfaces cross or
/// touch.
pub(super) fn crossing(a: &[Point; 3], b: &[Point; 3]) -> Option<Point> {
    let through = |s: &[Point; 3], t: &[Point; 3]| {
        (0..3).find_map(|i| edge_through(&s[i], &s[(i + 1) % 3], t).or_else(|| on_face(&s[i], t)))
    };
    through(a, b).or_else(|| through(b, a))
}

/// Where the segment `p q` meets the triangle `t`, edges included; `None` when it runs in its plane.
fn edge_through(p: &Point, q: &Point, t: &[Point; 3]) -> Option<Point> {
    let normal = (t[1] - t[0]).cross(&(t[2] - t[0]));
    let (hp, hq) = (normal.dot(&(p - t[0])), normal.dot(&(q - t[0])));
    if hp * hq > 0.0 || hp == hq {
        return None;
    }
    let meet = p + (q - p) * (hp / (hp - hq));
    inside(&meet, t, &normal).then_some(meet)
}

/// The corner `p` if it lies on the face `t`, as it may when both triangles lie in one plane.
fn on_face(p: &Point, t: &[Point; 3]) -> Option<Point> {
    let normal = (t[1] - t[0]).cross(&(t[2] - t[0]));
    (normal.norm_squared() > 0.0 && normal.dot(&(p - t[0])) == 0.0 && inside(p, t, &normal))
        .then_some(*p)
}

fn inside(p: &Point, t: &[Point; 3], normal: &Vector) -> bool {
    (0..3).all(|i| (t[(i + 1) % 3] - t[i]).cross(&(p - t[i])).dot(normal) >= 0.0)
}
