# Completion for fish: the tool itself says what can stand there.
function __mellow_complete
    set -l words (commandline -opc)
    $words[1] complete $words[2..-1] (commandline -ct | string unescape) 2>/dev/null
end
complete -c mellow -f -a '(__mellow_complete)'
