#include "draw/page_parts.h"

// The assembler copies the files: a string literal of a megabyte would cost seconds of each build.
#define MELLOW_PART(name, path)                                                    \
    __asm__(".pushsection .rodata\n" #name "_begin:\n.incbin \"" path "\"\n" #name \
            "_end:\n"                                                              \
            ".popsection\n");                                                      \
    extern const char name##_begin[] __asm__(#name "_begin");                      \
    extern const char name##_end[] __asm__(#name "_end")

extern "C" {
MELLOW_PART(mellow_page_html, MELLOW_PAGE "/page.html");
MELLOW_PART(mellow_page_css, MELLOW_PAGE "/page.css");
MELLOW_PART(mellow_page_scripts, MELLOW_PAGE_SCRIPTS);
MELLOW_PART(mellow_page_three, MELLOW_THREE);
MELLOW_PART(mellow_page_chart, MELLOW_CHART);
MELLOW_PART(mellow_page_notices, MELLOW_PAGE "/notices.txt");
}

namespace mellow {

const PageParts& page_parts() {
    static const PageParts parts{
        {mellow_page_html_begin, mellow_page_html_end},
        {mellow_page_css_begin, mellow_page_css_end},
        {mellow_page_scripts_begin, mellow_page_scripts_end},
        {mellow_page_three_begin, mellow_page_three_end},
        {mellow_page_chart_begin, mellow_page_chart_end},
        {mellow_page_notices_begin, mellow_page_notices_end},
    };
    return parts;
}

}  // namespace mellow
