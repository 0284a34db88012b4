package machine

import (
	"os"

	"endroit/core/place"
)

// Roots says where the anchors lie for this user: Apple's File System Programming
// Guide fixes them below the home. The installation's and the account's folder
// are not among them.
func Roots() (place.Roots, error) {
	home, err := os.UserHomeDir()
	if err != nil {
		return nil, err
	}
	return place.MacRoots(home), nil
}
