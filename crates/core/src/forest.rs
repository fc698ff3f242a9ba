//! Things that are put together step by step: union-find with path halving (Tarjan and van Leeuwen, "Worst-case analysis of
//! set union algorithms", Journal of the ACM 31, 1984).

/// A forest over the numbers from 0 on: what hangs on one root belongs together.
#[derive(Debug, Clone, Default)]
pub struct Forest(Vec<u32>);

impl Forest {
    /// So many things, each by itself.
    pub fn new(n: usize) -> Forest {
        Forest((0..n as u32).collect())
    }

    /// One more thing by itself.
    pub fn add(&mut self) {
        self.0.push(self.0.len() as u32);
    }

    /// The number that stands for all that belong together with `i`.
    pub fn root(&mut self, i: usize) -> usize {
        let mut i = i as u32;
        while self.0[i as usize] != i {
            self.0[i as usize] = self.0[self.0[i as usize] as usize];
            i = self.0[i as usize];
        }
        i as usize
    }

    /// Puts two together; the lesser of their roots stays.
    pub fn join(&mut self, a: usize, b: usize) {
        let (a, b) = (self.root(a), self.root(b));
        self.0[a.max(b)] = a.min(b) as u32;
    }

    /// Hangs all that belong with `other` on the root of `a`.
    pub fn join_to(&mut self, a: usize, other: usize) {
        let (a, other) = (self.root(a), self.root(other));
        self.0[other] = a as u32;
    }

    /// The root of each.
    pub fn into_roots(mut self) -> Vec<u32> {
        for i in 0..self.0.len() {
            self.0[i] = self.root(i) as u32;
        }
        self.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_joined_has_one_root_the_least_of_all() {
        let mut forest = Forest::new(5);
        forest.add();
        forest.join(4, 2);
        forest.join(5, 4);
        forest.join(1, 0);
        assert_eq!((0..6).map(|i| forest.root(i)).collect::<Vec<_>>(), [0, 0, 2, 3, 2, 2]);
        forest.join_to(3, 0);
        assert_eq!(forest.into_roots(), [3, 3, 2, 3, 2, 2]);
    }
}
