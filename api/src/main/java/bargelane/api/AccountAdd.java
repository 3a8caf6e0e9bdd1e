package bargelane.api;

import java.util.List;

/** A new account; without a password one is made. */
public record AccountAdd(String name, String password, List<String> roles) {}
