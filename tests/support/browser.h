// A browser without a screen, started once for all tests of a process and worked through its
// debugging pipe: pages are opened from disk, asked by script, and get real events of mouse and
// keyboard.
#pragma once

#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>
#include <utility>
#include <vector>

#include "support.h"

namespace mellow::test {

class Browser {
  public:
    using Json = nlohmann::json;
    /// The one of this process.
    static Browser& shared();
    ~Browser();

    /// Opens a page from disk with `hash` behind its address ("#flat"), and waits until it has
    /// started or said why not.
    void open(const std::filesystem::path& page, const std::string& hash);
    /// What the body of a function returns on the page.
    Json run(const std::string& script);
    /// Both; without a script what the page writes for #check.
    Json open(const std::filesystem::path& page, const std::string& hash,
              const std::string& script);
    /// A click in the middle of the element that a selector finds, held for some time; a modifier
    /// of the protocol: 8 is shift.
    void click(const std::string& selector, int held_ms = 0);
    /// A drag by pixels from the middle of an element.
    void drag(const std::string& selector, int dx, int dy, int modifiers = 0);
    /// Turns the wheel in the middle of an element.
    void wheel(const std::string& selector, int by);
    /// Fingers that are put down beside the middle of an element, moved and taken away: for each
    /// where it begins and ends, by pixels from there along x.
    void touch(const std::string& selector, const std::vector<std::pair<int, int>>& fingers);
    /// A key by its name: "a", " ", "Enter", "ArrowLeft".
    void key(const std::string& name);

  private:
    Browser();
    Json ask(const std::string& method, Json parameters);
    Json told();
    void mouse(const char* type, double x, double y, Json more);
    std::pair<double, double> middle(const std::string& selector);

    TempFolder profile_;
    int in_ = -1, out_ = -1, process_ = -1, number_ = 0;
    std::string page_, buffer_;
};

}  // namespace mellow::test
