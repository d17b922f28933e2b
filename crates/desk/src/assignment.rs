//! Minimum-cost assignment of supplies to capacities.
//!
//! Successive shortest augmenting paths on the residual network (Bellman–Ford): exact and integral
//! (Ahuja, Magnanti & Orlin, *Network Flows*, ch. 9). Sizes here are a dozen rows at most.

/// Sends every supply to columns within their capacities at the least total cost. `costs[r][c]` is
/// the cost of one unit, `None` where row r may not use column c. Some column must be open to all
/// with enough capacity, or supply is left over. Returns `(row, column, units)`.
pub(crate) fn assign(supply: &[i64], capacity: &[i64], costs: &[Vec<Option<i64>>]) -> Vec<(usize, usize, i64)> {
    let (rows, columns) = (supply.len(), capacity.len());
    let mut flow = vec![vec![0_i64; columns]; rows];
    let mut left = supply.to_vec();
    let mut room = capacity.to_vec();
    while left.iter().any(|&s| s > 0) {
        // Distances from the rows that still have supply, over rows then columns.
        let mut row_cost: Vec<Option<i64>> = left.iter().map(|&s| (s > 0).then_some(0)).collect();
        let mut column_cost: Vec<Option<i64>> = vec![None; columns];
        let mut via_row = vec![usize::MAX; columns];
        let mut via_column = vec![usize::MAX; rows];
        for _ in 0..rows + columns {
            let mut changed = false;
            for r in 0..rows {
                for c in 0..columns {
                    let Some(cost) = costs[r][c] else { continue };
                    if let Some(d) = row_cost[r]
                        && column_cost[c].is_none_or(|old| d + cost < old)
                    {
                        column_cost[c] = Some(d + cost);
                        via_row[c] = r;
                        changed = true;
                    }
                    if let Some(d) = column_cost[c]
                        && flow[r][c] > 0
                        && row_cost[r].is_none_or(|old| d - cost < old)
                    {
                        row_cost[r] = Some(d - cost);
                        via_column[r] = c;
                        changed = true;
                    }
                }
            }
            if !changed {
                break;
            }
        }
        let Some(end) = (0..columns).filter(|&c| room[c] > 0 && column_cost[c].is_some()).min_by_key(|&c| column_cost[c]) else {
            break;
        };
        // Walk back to a supplying row, then push the bottleneck along the path.
        let mut path = Vec::new();
        let mut column = end;
        let start = loop {
            let row = via_row[column];
            path.push((row, column, true));
            if via_column[row] == usize::MAX {
                break row;
            }
            column = via_column[row];
            path.push((row, column, false));
        };
        let back = path.iter().filter(|(_, _, forward)| !forward).map(|&(r, c, _)| flow[r][c]).min().unwrap_or(i64::MAX);
        let units = left[start].min(room[end]).min(back);
        for (r, c, forward) in path {
            flow[r][c] += if forward { units } else { -units };
        }
        left[start] -= units;
        room[end] -= units;
    }
    let used = |r: usize| flow[r].iter().enumerate().filter(|(_, n)| **n > 0).map(move |(c, n)| (r, c, *n)).collect::<Vec<_>>();
    (0..rows).flat_map(used).collect()
}
