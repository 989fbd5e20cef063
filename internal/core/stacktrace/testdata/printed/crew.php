<?php
namespace Crew;
class Roster {
    function find($name) { throw new \OutOfBoundsException("no $name"); }
    function assign($name) {
        try { return $this->find($name); }
        catch (\OutOfBoundsException $e) { throw new \RuntimeException("nobody is called $name", 7, $e); }
    }
}
(function () { (new Roster)->assign("Ines"); })();
