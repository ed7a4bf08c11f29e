/// Sorts the places of `keys` by key: where the places of each of `count` keys begin, with the end of the last one after
/// them, and all places, those of one key in their order. One pass over flat arrays: for meshes of millions.
pub(super) fn buckets(
    count: usize,
    keys: impl Iterator<Item = u32> + Clone,
) -> (Vec<u32>, Vec<u32>) {
    let mut starts = vec![0u32; count + 1];
    for key in keys.clone() {
        starts[key as usize + 1] += 1;
    }
    for key in 0..count {
        starts[key + 1] += starts[key];
    }
    let mut next = starts.clone();
    let mut places = vec![0u32; starts[count] as usize];
    for (place, key) in (0u32..).zip(keys) {
        let at = &mut next[key as usize];
        places[*at as usize] = place;
        *at += 1;
    }
    (starts, places)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_lie_together_by_key_and_keep_their_order() {
        let (starts, places) = buckets(4, [2, 0, 2, 3, 0].into_iter());
        assert_eq!(starts, [0, 2, 2, 4, 5]);
        assert_eq!(places, [1, 4, 0, 2, 3]);
    }
}
