package ownhttp

import (
	"testing"

	"ensomet/internal/rest/resttest"
)

func TestTranslations(t *testing.T) {
	resttest.Translates(t, toOwnName)
	resttest.Translates(t, toOwnField)
	resttest.Translates(t, toOwnFieldsOf)
}
