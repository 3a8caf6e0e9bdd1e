package bargelane.service.http;

import bargelane.api.AccountAdd;
import bargelane.api.AccountAdded;
import bargelane.api.AccountEdit;
import bargelane.api.AccountView;
import bargelane.api.AuditCheck;
import bargelane.api.AuditView;
import bargelane.api.PasswordChange;
import bargelane.api.TokenAdd;
import bargelane.api.TokenAdded;
import bargelane.api.TokenView;
import bargelane.core.account.Need;
import bargelane.service.account.Accounts;
import bargelane.service.account.Audit;
import bargelane.service.account.Tokens;

/** Endpoints of accounts, and of their sessions and tokens. */
public record AccountApi(Accounts accounts, Tokens tokens, Audit audit) implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.get("/accounts", "List accounts and what each may do", Need.KEEP)
        .lists(AccountView.class, r -> accounts.list());
    e.post("/accounts", "Add an account", Need.KEEP)
        .secret()
        .takes(AccountAdd.class)
        .creates(AccountAdded.class, (r, b) -> accounts.add(b));
    e.put("/accounts/{account}", "Change an account's roles or its password", Need.KEEP)
        .changes(r -> accounts.view(r.path("account")))
        .takes(AccountEdit.class)
        .gives(AccountView.class, (r, b) -> accounts.edit(r.path("account"), b));
    e.delete("/accounts/{account}", "Remove an account, its sessions and its tokens", Need.KEEP)
        .changes(r -> accounts.view(r.path("account")))
        .does(r -> accounts.remove(r.path("account")));
    e.put("/me/password", "Change the own password; other sessions end", Need.SIGN_IN)
        .limited(Reach.ALL)
        .changes(r -> null)
        .takes(PasswordChange.class)
        .does(
            (r, b) ->
                accounts.changePassword(
                    r.caller(), String.valueOf(b.current()), String.valueOf(b.password())));
    e.get("/tokens", "Sessions and tokens, the last one used first", Need.SIGN_IN)
        .limited(Reach.ALL)
        .query("account", "", "whose, by a keeper; the own ones if left out")
        .lists(TokenView.class, r -> tokens.list(r.query("account"), r.caller()));
    e.post("/tokens", "Make a token; its secret is told once", Need.SIGN_IN)
        .limited(Reach.ALL)
        .secret()
        .takes(TokenAdd.class)
        .creates(TokenAdded.class, (r, b) -> tokens.add(b, r.caller()));
    e.get("/audit", "Who asked for what to be changed, and what was refused", Need.KEEP)
        .query("account", "", "whose; everybody's if left out")
        .flag("refused", "only what was refused or failed")
        .paged()
        .pages(
            AuditView.class,
            r ->
                audit.list(
                    r.query("account"), r.flag("refused"), r.number("page"), r.number("size")));
    e.get("/audit/check", "Whether any entry of the audit was changed or taken out", Need.KEEP)
        .heavy()
        .gives(AuditCheck.class, r -> audit.verify());
    e.delete("/tokens/{token}", "Revoke a session or a token at once", Need.SIGN_IN)
        .limited(Reach.ALL)
        .changes(r -> tokens.view(r.path("token"), r.caller()))
        .does(r -> tokens.revoke(r.path("token"), r.caller()));
  }
}
