package bargelane.client.book;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Price books. */
@Command(
    name = "book",
    description = "Price books: what a target's sizes, storage, licences and traffic cost.",
    mixinStandardHelpOptions = true,
    subcommands = {ListBooks.class, Add.class, Show.class, Remove.class})
public final class BookCommands {}
