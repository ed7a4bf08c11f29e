//! Sweeps leave what is asked by hand its threads, and most of the cores.

use std::collections::HashSet;
use std::thread;

use rustix::process::nice;
use selvik_server::Background;

/// The name of a thread, and its priority.
fn here() -> (Option<String>, i32) {
    let name = thread::current().name().map(str::to_owned);
    (name, nice(0).expect("a priority"))
}

#[tokio::test]
async fn what_is_shared_in_the_background_stays_there_and_gives_way() {
    let (_, usual) = here();
    let background = Background::new().expect("threads");
    let shared = || -> HashSet<_> { rayon::broadcast(|_| here()).into_iter().collect() };
    let there = background.run(shared).await.expect("done");
    assert_eq!(there.len(), rayon::current_num_threads());
    for (name, priority) in &there {
        let name = name.as_deref().unwrap_or_default();
        assert!(name.starts_with("background-"), "{name}");
        // The lowest there is, at most.
        assert_eq!(*priority, (usual + 10).min(19));
    }
    // All else is as it was.
    assert!(shared().iter().all(|(name, priority)| {
        let is_there = name.as_ref().is_some_and(|n| n.starts_with("background-"));
        !is_there && *priority == usual
    }));
    assert_eq!(here().1, usual);
}
