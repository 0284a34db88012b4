package service

import "strings"

// Routes lists the API's routes as "GET /titles/{id}".
func (s *Service) Routes() (routes []string) {
	for _, r := range s.router.Router().Routes() {
		path, inAPI := strings.CutPrefix(r.Path, "/api/v1")
		if !inAPI || strings.HasSuffix(path, "*") {
			continue
		}
		parts := strings.Split(path, "/")
		for i, p := range parts {
			if name, ok := strings.CutPrefix(p, ":"); ok {
				parts[i] = "{" + name + "}"
			}
		}
		routes = append(routes, r.Method+" "+strings.Join(parts, "/"))
	}
	return routes
}
