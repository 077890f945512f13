package practice

// AllowedFunctions is the list of functions.go, for its comparison with the server's catalogue.
var AllowedFunctions = allowedNames()
