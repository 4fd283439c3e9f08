@echo off
rem starts the fair
set ROW=main
set "GUESTS=120"
fair.exe -row %ROW% -guests %GUESTS% -stalls=drum-tent;honey-stall
