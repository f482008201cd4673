#!/bin/sh
# How long this machine has been up: one line of text. A shell script is run by sh.
uptime | sed 's/^.*up *//; s/, *[0-9]* user.*$//'
