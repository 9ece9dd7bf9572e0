package kitchen

// mapped makes a list of another type of a list, as of rows of the database; err is
// passed on.
func mapped[Row, T any](rows []Row, err error, of func(Row) T) ([]T, error) {
	if err != nil {
		return nil, err
	}
	list := make([]T, len(rows))
	for i, r := range rows {
		list[i] = of(r)
	}
	return list, nil
}
