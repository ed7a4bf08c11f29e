use nalgebra::{SMatrix, SVector, SymmetricEigen};

use crate::spatial::{Point, Vector};

/// Steps after which a fit is as good as it gets.
const STEPS: usize = 30;

/// A surface told by `N` numbers that may be changed a little.
pub(super) trait Adjustable<const N: usize>: Copy {
    /// How far `point` lies off it, and how that changes with the numbers.
    fn height(&self, point: &Point) -> (f64, SVector<f64, N>);

    /// With the numbers changed.
    fn changed(&self, by: &SVector<f64, N>) -> Self;
}

/// The surface near `start` from which points lie least far off, in the sum of squares: Levenberg (1944), Marquardt (1963).
pub(super) fn refine<const N: usize, S: Adjustable<N>>(start: S, points: &[Point]) -> S {
    let summed = |surface: &S| {
        let (mut normal, mut right) = (SMatrix::<f64, N, N>::zeros(), SVector::zeros());
        let mut squares = 0.0;
        for point in points {
            let (height, slope) = surface.height(point);
            normal += slope * slope.transpose();
            right -= slope * height;
            squares += height * height;
        }
        (normal, right, squares)
    };
    let mut surface = start;
    let (mut normal, mut right, mut squares) = summed(&surface);
    let mut damping = 1e-6;
    for _ in 0..STEPS {
        let mut damped = normal;
        for i in 0..N {
            damped[(i, i)] += damping * (normal[(i, i)] + 1e-12);
        }
        let Some(factors) = damped.cholesky() else {
            damping *= 10.0;
            continue;
        };
        let next = surface.changed(&factors.solve(&right));
        let sums = summed(&next);
        let nearer = sums.2 < squares;
        if !nearer {
            damping *= 10.0;
            if damping > 1e4 {
                break;
            }
            continue;
        }
        let settled = sums.2 > 0.999 * squares || sums.2 < 1e-28 * points.len() as f64;
        surface = next;
        (normal, right, squares) = sums;
        damping = (damping * 0.1).max(1e-12);
        if settled {
            break;
        }
    }
    surface
}

/// The circle nearest to points of a plane, as centre and radius (Kåsa 1976).
pub(super) fn circle(points: &[(f64, f64)]) -> Option<(f64, f64, f64)> {
    let n = points.len() as f64;
    let (mx, my) = points
        .iter()
        .fold((0.0, 0.0), |(x, y), p| (x + p.0 / n, y + p.1 / n));
    let mut m = nalgebra::Matrix2::zeros();
    let mut r = nalgebra::Vector2::zeros();
    let mut mean = 0.0;
    for p in points {
        let (x, y) = (p.0 - mx, p.1 - my);
        let square = x * x + y * y;
        mean += square / n;
        m += nalgebra::Matrix2::new(x * x, x * y, x * y, y * y);
        r += nalgebra::Vector2::new(x * square, y * square) * 0.5;
    }
    let c = m.lu().solve(&r)?;
    let radius = (c.norm_squared() + mean).sqrt();
    (radius.is_finite() && radius > 0.0).then_some((c.x + mx, c.y + my, radius))
}

/// The sphere nearest to points, as centre and radius: Kåsa's circle in space.
pub(super) fn sphere(points: &[Point]) -> Option<(Point, f64)> {
    let n = points.len() as f64;
    let middle = points.iter().map(|p| p.coords).sum::<Vector>() / n;
    let mut m = nalgebra::Matrix3::zeros();
    let mut right = Vector::zeros();
    let mut mean = 0.0;
    for p in points {
        let d = p.coords - middle;
        mean += d.norm_squared() / n;
        m += d * d.transpose();
        right += d * d.norm_squared() * 0.5;
    }
    let c = m.lu().solve(&right)?;
    let radius = (c.norm_squared() + mean).sqrt();
    (radius.is_finite() && radius > 0.0).then(|| (Point::from(c + middle), radius))
}

/// The direction in which vectors spread least about their mean, and how wide the mean itself lies along it.
pub(super) fn least_spread(vectors: &[Vector]) -> Option<(Vector, f64)> {
    let mean = vectors.iter().sum::<Vector>() / vectors.len() as f64;
    let scatter: nalgebra::Matrix3<f64> = vectors
        .iter()
        .map(|v| (v - mean) * (v - mean).transpose())
        .sum();
    let eigen = SymmetricEigen::try_new(scatter, 1e-14, 100)?;
    let least = eigen.eigenvectors.column(eigen.eigenvalues.imin());
    let least = least.into_owned();
    Some((least, mean.dot(&least)))
}

/// Two directions square to `axis` and to each other.
pub(super) fn across(axis: &Vector) -> (Vector, Vector) {
    let mut other = Vector::zeros();
    other[axis.iamin()] = 1.0;
    let u = axis.cross(&other).normalize();
    (u, axis.cross(&u).normalize())
}
