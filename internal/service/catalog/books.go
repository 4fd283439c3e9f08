package catalog

import (
	"sync"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/model"
)

// books caches parsed revisions. A revision never changes, so each is parsed and its
// expressions compiled once; nobody changes a book. The zero value is empty.
type books struct {
	mu   sync.Mutex
	read map[string]*rulebook.Book // by digest of the text
}

// mostBooks is the size of the cache: far more than a service uses.
const mostBooks = 200

// parse gives a revision's book.
func (s *books) parse(rev model.Revision) (*rulebook.Book, error) {
	s.mu.Lock()
	b := s.read[rev.Digest]
	s.mu.Unlock()
	if b != nil {
		return b, nil
	}
	b, err := rulebook.Parse(rev.Text) // without the lock: two that read the same get the same
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.read == nil || len(s.read) >= mostBooks {
		s.read = map[string]*rulebook.Book{}
	}
	s.read[rev.Digest] = b
	return b, nil
}
