package bargelane.api;

import org.jspecify.annotations.Nullable;

/** An account that was added, and its password where one was made; it is told once. */
public record AccountAdded(AccountView account, @Nullable String password) {}
