// the packages are not part of this build
