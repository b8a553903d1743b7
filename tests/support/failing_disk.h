// System calls of writing that fail when told to: these definitions stand in front of the C
// library's, for this process.
#pragma once

#include <string>

namespace mellow::test {

/// From now on the `nth` call of `call` (counted from 1) fails with `error`; until the next plan,
/// or until it is destroyed. `old_system`: renameat2() with flags is unknown to the file system.
class FailingDisk {
  public:
    /// `dies`: no call at all gets through afterwards, as when the power goes.
    FailingDisk(const std::string& call, int nth, int error, bool old_system = false,
                bool dies = false);
    ~FailingDisk();
    FailingDisk(const FailingDisk&) = delete;
    FailingDisk& operator=(const FailingDisk&) = delete;
    /// Whether the call has come, and has failed.
    bool failed() const;
};

}  // namespace mellow::test
