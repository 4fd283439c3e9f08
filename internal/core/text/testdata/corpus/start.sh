#!/bin/sh
# starts the fair
ROW="main"
GUESTS=120
export ROW GUESTS
exec ./fair --row "$ROW" --guests=$GUESTS --stalls "drum-tent;honey-stall" "$@"
