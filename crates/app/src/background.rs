//! Threads for what nobody waits for.

/// How far background work stands behind, in steps of nice: a tenth of a core beside whoever keeps it busy. At 19 a job
/// stood still for minutes on a machine with much to do.
const LOWER: i32 = 10;

/// Threads of a low priority; 0: one a core. Errors: the system gives no more.
pub fn threads(count: usize) -> Result<rayon::ThreadPool, rayon::ThreadPoolBuildError> {
    rayon::ThreadPoolBuilder::new()
        .num_threads(count)
        .thread_name(|n| format!("background-{n}"))
        .start_handler(|_| {
            // Being refused a lower priority is no reason not to work.
            let _ = rustix::process::nice(LOWER);
        })
        .build()
}
