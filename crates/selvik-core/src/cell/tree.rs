use std::collections::HashMap;

use super::{Item, ItemId};

/// A robot workcell model: items in a tree, each listed after what carries it.
#[derive(Debug, Clone, Default)]
pub struct Cell {
    items: Vec<Item>,
    index: HashMap<ItemId, usize>,
}

/// Why items don't make a tree.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum CellError {
    /// Two items share an id.
    #[error("two items have the id \"{0}\"; give one of them another")]
    DuplicateId(ItemId),
    /// An item hangs on something that is not in the cell.
    #[error("item \"{item}\" hangs on \"{parent}\", which is not in the cell")]
    UnknownParent {
        /// The child.
        item: ItemId,
        /// What it names.
        parent: ItemId,
    },
    /// Items that carry each other.
    #[error("item \"{0}\" would carry itself through its parents; break the circle")]
    Circle(ItemId),
}

impl Cell {
    /// Orders `items` so that each follows its parent, keeping the given order otherwise.
    ///
    /// # Errors
    /// [`CellError`] for a repeated id, an unknown parent or a circle of parents.
    pub fn new(items: Vec<Item>) -> Result<Self, CellError> {
        let mut place = HashMap::with_capacity(items.len());
        for (at, item) in items.iter().enumerate() {
            if place.insert(item.id.clone(), at).is_some() {
                return Err(CellError::DuplicateId(item.id.clone()));
            }
        }
        let mut children: HashMap<Option<usize>, Vec<usize>> = HashMap::new();
        for (at, item) in items.iter().enumerate() {
            let parent = match &item.parent {
                None => None,
                Some(parent) => {
                    Some(*place.get(parent).ok_or_else(|| CellError::UnknownParent {
                        item: item.id.clone(),
                        parent: parent.clone(),
                    })?)
                }
            };
            children.entry(parent).or_default().push(at);
        }
        let mut order = Vec::with_capacity(items.len());
        let mut open: Vec<usize> = children
            .get(&None)
            .into_iter()
            .flatten()
            .rev()
            .copied()
            .collect();
        while let Some(at) = open.pop() {
            order.push(at);
            open.extend(children.get(&Some(at)).into_iter().flatten().rev());
        }
        if order.len() < items.len() {
            let mut reached = vec![false; items.len()];
            order.iter().for_each(|&at| reached[at] = true);
            let lost = reached
                .iter()
                .position(|r| !r)
                .expect("some item was not reached");
            return Err(CellError::Circle(items[lost].id.clone()));
        }
        let mut items: Vec<Option<Item>> = items.into_iter().map(Some).collect();
        let items: Vec<Item> = order
            .iter()
            .map(|&at| items[at].take().expect("once each"))
            .collect();
        let index = items
            .iter()
            .enumerate()
            .map(|(at, i)| (i.id.clone(), at))
            .collect();
        Ok(Self { items, index })
    }

    /// All items, each after what carries it.
    #[must_use]
    pub fn items(&self) -> &[Item] {
        &self.items
    }

    /// Where the item `id` stands in [`Self::items`].
    #[must_use]
    pub fn position(&self, id: &ItemId) -> Option<usize> {
        self.index.get(id).copied()
    }

    /// Where the parent of the item at `at` stands.
    #[must_use]
    pub fn parent_of(&self, at: usize) -> Option<usize> {
        self.items[at].parent.as_ref().map(|p| self.index[p])
    }

    /// Whether the item at `at` is `ancestor` or hangs on it.
    #[must_use]
    pub fn is_within(&self, at: usize, ancestor: usize) -> bool {
        self.steps_up(at, ancestor).is_some()
    }

    /// By how many steps up the tree the item at `at` hangs on `ancestor`: 0 for itself, none where it does not.
    #[must_use]
    pub fn steps_up(&self, mut at: usize, ancestor: usize) -> Option<usize> {
        let mut steps = 0;
        while at != ancestor {
            at = self.parent_of(at)?;
            steps += 1;
        }
        Some(steps)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cell::Role;

    fn item(id: &str, parent: Option<&str>) -> Item {
        let own = Item::new(id, Role::Group);
        match parent {
            Some(parent) => own.on(parent, None),
            None => own,
        }
    }

    #[test]
    fn items_follow_what_carries_them() {
        let cell = Cell::new(vec![
            item("nozzle", Some("arm")),
            item("fence", None),
            item("arm", None),
        ]);
        let cell = cell.unwrap();
        let ids: Vec<_> = cell.items().iter().map(|i| i.id.0.as_str()).collect();
        assert_eq!(ids, ["fence", "arm", "nozzle"]);
        assert!(cell.is_within(2, 1) && !cell.is_within(1, 2));
        assert_eq!(
            [(2, 2), (2, 1), (1, 2)].map(|(at, up)| cell.steps_up(at, up)),
            [Some(0), Some(1), None]
        );
    }

    #[rstest::rstest]
    #[case(vec![item("a", None), item("a", None)], "two items")]
    #[case(vec![item("a", Some("b"))], "not in the cell")]
    #[case(vec![item("a", Some("b")), item("b", Some("a"))], "carry itself")]
    #[case(vec![item("a", Some("a"))], "carry itself")]
    fn what_is_no_tree_is_refused(#[case] items: Vec<Item>, #[case] says: &str) {
        let error = Cell::new(items).unwrap_err().to_string();
        assert!(error.contains(says), "{error}");
    }
}
