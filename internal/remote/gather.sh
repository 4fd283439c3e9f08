# What the shell of a host runs to read many short files at once: $1 is the root, and the names come on
# standard input, each ended by a zero byte. It says first whether names and files cross the line
# packed: a name differs little from the next, and a short file is a kilobyte to tar, most of it
# zeros. No single quote may stand in here: the whole is quoted with them.
set -- "$1" --format=gnu --hard-dereference --no-recursion --ignore-failed-read --null -T -
cd "$1" && shift || exit
if command -v gzip >/dev/null 2>&1; then
	echo restless-crate-packed
	gzip -dc | tar -cf - --use-compress-program="gzip -1" "$@"
else
	echo restless-crate-plain
	exec tar -cf - "$@"
fi
