package tickets_test

import (
	"testing"

	"firethorn/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }
