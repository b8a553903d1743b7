# Completion for bash: the tool itself says what can stand there.
_mellow() {
    local line word=${COMP_WORDS[COMP_CWORD]}
    COMPREPLY=()
    while IFS= read -r line; do
        line=${line%%$'\t'*}
        [[ $line == */ ]] && compopt -o nospace
        COMPREPLY+=("$(printf '%q' "$line")")
    done < <("${COMP_WORDS[0]}" complete "${COMP_WORDS[@]:1:COMP_CWORD-1}" "$word" 2>/dev/null)
}
complete -F _mellow mellow
