use crate::robot::BodyId;

/// What a pair makes of its rule. The worst is the least.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Verdict {
    /// Certainly less than required at some instant.
    Broken,
    /// Neither certainly broken nor certainly kept.
    NotCertified,
    /// Certainly as much as required, not certainly as much as what counts as tight.
    Tight,
    /// Certainly more than that all the time.
    Meets,
}

/// Why something is not certified, or what else is wrong.
#[derive(Debug, Clone, PartialEq)]
pub enum Doubt {
    /// A body is open in such a way that the other may lie inside it.
    Open {
        /// The open one.
        body: BodyId,
        /// When that was first seen, s.
        time: f64,
    },
    /// The smallest clearance can't be told from what is required: they lie within this, m.
    Within {
        /// m
        distance: f64,
    },
    /// The work allowed for the pair was spent before that was certain.
    WorkSpent,
    /// The work allowed was spent before all times were bracketed: some brackets are wide.
    TimesSpent,
    /// It was stopped.
    Stopped,
    /// They overlap deeper than they may.
    Deeper {
        /// How deep they may, m.
        limit: f64,
        /// How deep they do, m.
        depth: f64,
        /// When, s.
        time: f64,
    },
    /// It is not certain that they overlap no deeper than they may.
    DepthUnknown {
        /// How deep they may, m.
        limit: f64,
    },
}
