//! Drives and items as numbers, and the replay of an order.

/// A drive, as far as an order is concerned. Bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct DriveRoom {
    /// In use now.
    pub used: u64,
    /// That may be in use at most: the capacity without the reserve and what is withheld.
    pub most: u64,
}

/// An item, as far as an order is concerned. Drives are places in the list of rooms.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OrderItem {
    /// The drive that it lies on; `None` if that drive is none of the rooms.
    pub from: Option<usize>,
    /// The drive that it goes to; never the one that it lies on.
    pub to: usize,
    /// Bytes that come back on its drive when the original is let go.
    pub leaves: u64,
    /// Bytes that it needs on each drive; `None` where it cannot lie, even for a while.
    pub needs: Vec<Option<u64>>,
}

impl OrderItem {
    /// Bytes that it needs where it goes to.
    pub(crate) fn arrives(&self) -> u64 {
        self.needs[self.to].unwrap_or(u64::MAX)
    }

    /// Bytes that come back where it lies now, if it lies on `drive` in between or from the beginning.
    pub(crate) fn leaves(&self, drive: usize) -> u64 {
        if self.from == Some(drive) { self.leaves } else { self.needs[drive].unwrap_or(0) }
    }
}

/// One move of an order: a copy to a drive, proved, and whether the original then goes at once.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Move {
    /// Which item.
    pub item: usize,
    /// From where; `None` as in [`OrderItem::from`].
    pub from: Option<usize>,
    /// Where to: its destination, or a drive on which it waits.
    pub to: usize,
    /// Whether what lies where it came from has to be let go for a later move.
    pub release: bool,
}

/// An order in which everything fits.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Order {
    /// The moves, one after another. An item that waits on a drive in between has several.
    pub moves: Vec<Move>,
    /// Bytes that are moved more than once: those of the copies in between.
    pub extra: u64,
    /// Bytes that have to be moved more than once in any order, as far as that is known; `extra` where it is the least.
    pub least_extra: u64,
}

/// What came of looking for an order.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum OrderFound {
    /// There is one.
    Order(Order),
    /// There is none.
    None,
    /// None was found in the time that an order may take; there may be one.
    Unknown,
}

/// Bytes in use on each drive once the moves so far are made, with originals that need not go still there.
///
/// Gives a row before the first move and one after each copy; `Err` has the place of the move, the drive and the bytes it
/// lacks.
///
/// # Errors
/// The move that finds no room, the drive, and the bytes that it lacks.
pub fn replay(rooms: &[DriveRoom], items: &[OrderItem], moves: &[Move]) -> Result<Vec<Vec<u64>>, (usize, usize, u64)> {
    let mut used: Vec<u64> = rooms.iter().map(|room| room.used).collect();
    let mut rows = vec![used.clone()];
    for (n, step) in moves.iter().enumerate() {
        let items = &items[step.item];
        let after = used[step.to].saturating_add(items.needs[step.to].unwrap_or(u64::MAX));
        if after > rooms[step.to].most {
            return Err((n, step.to, after - rooms[step.to].most));
        }
        used[step.to] = after;
        rows.push(used.clone());
        if let (true, Some(from)) = (step.release, step.from) {
            used[from] = used[from].saturating_sub(items.leaves(from));
        }
    }
    Ok(rows)
}

/// The drives that would be too full in the end, in whatever order, and by how much.
pub(crate) fn overfull(rooms: &[DriveRoom], items: &[OrderItem]) -> Vec<(usize, u64)> {
    let sum = |drive: usize| {
        let arrive: i128 = items.iter().filter(|item| item.to == drive).map(|item| i128::from(item.arrives())).sum();
        let leave: i128 =
            items.iter().filter(|item| item.from == Some(drive)).map(|item| i128::from(item.leaves)).sum();
        let over = i128::from(rooms[drive].used) + arrive - leave - i128::from(rooms[drive].most);
        u64::try_from(over).ok().filter(|over| *over > 0 && arrive > 0)
    };
    (0..rooms.len()).filter_map(|drive| Some((drive, sum(drive)?))).collect()
}
