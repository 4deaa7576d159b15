#pragma once
#include <functional>

namespace archway::base {

/// Number of threads parallel_for uses: ARCHWAY_THREADS when set to a positive number, four times the cores
/// at most, else all cores.
int thread_count();

/// Calls body(begin, end, thread) for contiguous pieces that cover [0, count). Pieces depend only on count and on
/// the number of threads, so sums made piece by piece come out the same bits again. The first exception thrown by a
/// piece is thrown again here. Calls from inside a body run on the calling thread alone.
void parallel_for(int count, const std::function<void(int begin, int end, int thread)>& body, int least_piece = 1);

}  // namespace archway::base
