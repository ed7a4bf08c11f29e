use std::fmt;

/// Which side of the first axis the wrist stands on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Shoulder {
    /// The arm reaches the way its first axis points it.
    Front,
    /// The arm reaches backwards over its base.
    Back,
}

/// Whether the elbow is bent up or down.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Elbow {
    /// Above the line from shoulder to wrist.
    Up,
    /// Below it.
    Down,
}

/// The sign of the bend of the wrist.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Wrist {
    /// The fifth angle is positive.
    Positive,
    /// The fifth angle is negative.
    Negative,
}

/// Which of the up to eight postures of a six-axis arm a solution belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Configuration {
    /// Front or back.
    pub shoulder: Shoulder,
    /// Up or down.
    pub elbow: Elbow,
    /// Positive or negative.
    pub wrist: Wrist,
}

impl fmt::Display for Configuration {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let shoulder = match self.shoulder {
            Shoulder::Front => "front",
            Shoulder::Back => "back",
        };
        let elbow = match self.elbow {
            Elbow::Up => "elbow up",
            Elbow::Down => "elbow down",
        };
        let wrist = match self.wrist {
            Wrist::Positive => "wrist +",
            Wrist::Negative => "wrist −",
        };
        write!(f, "{shoulder}, {elbow}, {wrist}")
    }
}
