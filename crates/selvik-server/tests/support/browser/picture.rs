//! What is seen in the window, pixel by pixel.

use std::time::{Duration, Instant};

use super::super::pixels::{Pixels, Rgb};
use super::{Browser, LOOK_AGAIN, MOST_WAIT};

impl Browser {
    /// The window as it is seen.
    async fn shot(&self) -> Pixels {
        // A browser that draws in software may be too busy to answer in time.
        for _ in 0..5 {
            if let Ok(png) = self.client.screenshot().await {
                return Pixels::of_png(&png);
            }
            tokio::time::sleep(Duration::from_millis(500)).await;
        }
        panic!("no picture of the page");
    }

    /// The colour of the picture at a point of the window.
    pub async fn pixel(&self, x: u32, y: u32) -> Rgb {
        self.shot().await.at(x, y)
    }

    /// A point of the picture with only such pixels round it.
    pub async fn somewhere(&self, like: impl Fn(Rgb) -> bool) -> (f64, f64) {
        let image = self.shot().await;
        let all_like =
            |x: u32, y: u32| (x - 3..=x + 3).all(|i| (y - 3..=y + 3).all(|j| like(image.at(i, j))));
        let found = (110..480).step_by(3).find_map(|y| {
            (240..1000)
                .step_by(3)
                .find(|&x| all_like(x, y))
                .map(|x| (x, y))
        });
        let (x, y) = found.expect("such a spot");
        (f64::from(x), f64::from(y))
    }

    /// The places of the picture's pixels that fulfil `like`.
    async fn places(&self, like: impl Fn(Rgb) -> bool) -> Vec<(u32, u32)> {
        let image = self.shot().await;
        let inside = |x: u32, y: u32| (240..1000).contains(&x) && (110..480).contains(&y);
        image
            .iter()
            .filter(|&(x, y, rgb)| inside(x, y) && like(rgb))
            .map(|(x, y, _)| (x, y))
            .collect()
    }

    /// The least rectangle (left, top, right, bottom) round the pixels of the picture that fulfil `like`.
    pub async fn bounds(&self, like: impl Fn(Rgb) -> bool) -> (f64, f64, f64, f64) {
        let found = self.places(like).await;
        let x = || found.iter().map(|p| f64::from(p.0));
        let y = || found.iter().map(|p| f64::from(p.1));
        assert!(!found.is_empty(), "nothing looks like that");
        let (least, most) = (
            f64::min as fn(f64, f64) -> f64,
            f64::max as fn(f64, f64) -> f64,
        );
        (
            x().fold(f64::MAX, least),
            y().fold(f64::MAX, least),
            x().fold(0.0, most),
            y().fold(0.0, most),
        )
    }

    /// How many pixels of the picture fulfil `like`.
    pub async fn count(&self, like: impl Fn(Rgb) -> bool) -> usize {
        self.places(like).await.len()
    }

    /// Waits until as many pixels of the picture fulfil `like` as `enough` asks for, and returns how many: what the
    /// server is asked for is drawn when its answer is there.
    pub async fn shows(
        &self,
        what: &str,
        like: impl Fn(Rgb) -> bool,
        enough: impl Fn(usize) -> bool,
    ) -> usize {
        let start = Instant::now();
        loop {
            let count = self.count(&like).await;
            if enough(count) {
                return count;
            }
            let waited = start.elapsed();
            assert!(
                waited < MOST_WAIT,
                "never seen: {what}; {count} such pixels"
            );
            tokio::time::sleep(LOOK_AGAIN).await;
        }
    }
}
