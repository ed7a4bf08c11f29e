//! Which pairs are the worst.

use std::cmp::Ordering;
use std::sync::{Mutex, MutexGuard, PoisonError};

use super::rules::{Pair, RuleSet};
use super::sweep::PairResult;
use super::verdict::Verdict;

/// By what the worst come first: by verdict, then by how much of the required clearance is there.
#[derive(Debug, Clone, Copy)]
pub(super) struct Rank {
    pub verdict: Verdict,
    pub share: f64,
}

impl Rank {
    /// Of what was found of a pair, at a clearance (m).
    pub fn at(clearance: f64, found: &PairResult, rules: &RuleSet) -> Self {
        Self {
            verdict: found.verdict,
            share: share_of(clearance, &found.pair, rules),
        }
    }

    /// Of what was found of a pair, at the clearance that is attained.
    pub fn of(found: &PairResult, rules: &RuleSet) -> Self {
        Self::at(found.clearance.attained(), found, rules)
    }
}

impl PartialEq for Rank {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other).is_eq()
    }
}

impl Eq for Rank {}

impl PartialOrd for Rank {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Rank {
    fn cmp(&self, other: &Self) -> Ordering {
        self.verdict
            .cmp(&other.verdict)
            .then(self.share.total_cmp(&other.share))
    }
}

/// A clearance (m) as a share of what is required of a pair.
pub(super) fn share_of(clearance: f64, pair: &Pair, rules: &RuleSet) -> f64 {
    clearance / rules.rules[pair.rule].requirement.required()
}

/// Puts the worst first.
pub(super) fn sort(pairs: &mut [PairResult], rules: &RuleSet) {
    pairs.sort_by_cached_key(|found| Rank::of(found, rules));
}

/// The ranks of the worst so far, while pairs are looked at. What is found is never nearer than the two come, so that none of those
/// that are worst in the end ranks after the last of them.
pub(super) struct Worst {
    count: usize,
    ranks: Mutex<Vec<Rank>>,
}

impl Worst {
    /// So many.
    pub fn of(count: usize) -> Self {
        Self {
            count,
            ranks: Mutex::default(),
        }
    }

    pub fn see(&self, rank: Rank) {
        add(&mut self.ranks(), rank, self.count);
    }

    /// A pair that was seen as `before` ranks like that now.
    pub fn instead(&self, before: Rank, rank: Rank) {
        let ranks = &mut self.ranks();
        if let Some(seen) = ranks.iter().position(|r| *r == before) {
            ranks.remove(seen);
        }
        add(ranks, rank, self.count);
    }

    fn ranks(&self) -> MutexGuard<'_, Vec<Rank>> {
        self.ranks.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Nothing that ranks after this is among the worst; `None` while anything may be.
    pub fn last(&self) -> Option<Rank> {
        let ranks = self.ranks();
        let full = ranks.len() == self.count;
        full.then(|| ranks.last().copied().unwrap_or(BEFORE_ALL))
    }
}

fn add(ranks: &mut Vec<Rank>, rank: Rank, most: usize) {
    let at = ranks.partition_point(|other| *other <= rank);
    ranks.insert(at, rank);
    ranks.truncate(most);
}

/// Where none are wanted, all rank after this.
const BEFORE_ALL: Rank = Rank {
    verdict: Verdict::Broken,
    share: f64::NEG_INFINITY,
};

#[cfg(test)]
mod tests {
    use super::*;

    fn rank(verdict: Verdict, share: f64) -> Rank {
        Rank { verdict, share }
    }

    #[test]
    fn the_worst_are_those_of_the_worst_verdict_and_then_of_the_smallest_share() {
        let worst = Worst::of(2);
        let last = || worst.last().map(|rank| (rank.verdict, rank.share));
        worst.see(rank(Verdict::Meets, 1.2));
        assert_eq!(last(), None);
        worst.see(rank(Verdict::Meets, 3.0));
        assert_eq!(last(), Some((Verdict::Meets, 3.0)));
        worst.see(rank(Verdict::Tight, 1.4));
        assert_eq!(last(), Some((Verdict::Meets, 1.2)));
        worst.see(rank(Verdict::Broken, 0.9));
        assert_eq!(last(), Some((Verdict::Tight, 1.4)));
        worst.see(rank(Verdict::Meets, 0.0));
        assert_eq!(last(), Some((Verdict::Tight, 1.4)));
    }

    #[test]
    fn a_pair_that_is_looked_at_again_counts_once() {
        let worst = Worst::of(2);
        let last = || worst.last().map(|rank| rank.share);
        for share in [1.0, 3.0, 4.0] {
            worst.see(rank(Verdict::Tight, share));
        }
        worst.instead(rank(Verdict::Tight, 1.0), rank(Verdict::Tight, 0.5));
        assert_eq!(last(), Some(3.0));
        // One that was not among them may be now.
        worst.instead(rank(Verdict::Tight, 4.0), rank(Verdict::Tight, 2.0));
        assert_eq!(last(), Some(2.0));
    }

    #[test]
    fn where_none_are_wanted_nothing_is_among_them() {
        let none = Worst::of(0);
        none.see(rank(Verdict::Broken, 0.0));
        let last = none.last().unwrap();
        assert!(last < rank(Verdict::Broken, 0.0));
    }
}
