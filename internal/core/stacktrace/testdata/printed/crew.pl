use strict; use warnings; use Carp;
package Crew;
sub find { my ($name) = @_; Carp::confess("nobody is called $name"); }
sub assign { find("Ines", @_); }
package main;
Crew::assign(7);
