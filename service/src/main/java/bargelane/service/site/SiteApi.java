package bargelane.service.site;

import bargelane.api.CredentialAdd;
import bargelane.api.CredentialEdit;
import bargelane.api.CredentialView;
import bargelane.api.KeyChanged;
import bargelane.api.LeftoverRemoval;
import bargelane.api.LeftoverRemove;
import bargelane.api.LeftoverView;
import bargelane.api.SiteAdd;
import bargelane.api.SiteCredentials;
import bargelane.api.SiteView;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;

/** Endpoints of sites, their credentials, and what services made at them. */
public record SiteApi(Sites sites, Credentials credentials, Leftovers leftovers)
    implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.get("/credentials", "List credentials, without their secrets", Need.READ)
        .lists(CredentialView.class, r -> credentials.list());
    e.post("/credentials", "Store a credential", Need.KEEP)
        .takes(CredentialAdd.class)
        .creates(CredentialView.class, (r, b) -> credentials.add(b, r.by()));
    e.get("/credentials/{credential}", "One credential, without its secret", Need.READ)
        .gives(CredentialView.class, r -> credentials.view(r.path("credential")));
    e.put("/credentials/{credential}", "Replace a credential's secret", Need.KEEP)
        .changes(r -> credentials.view(r.path("credential")))
        .takes(CredentialEdit.class)
        .gives(CredentialView.class, (r, b) -> credentials.edit(r.path("credential"), b, r.by()));
    e.delete("/credentials/{credential}", "Remove a credential that no site uses", Need.KEEP)
        .changes(r -> credentials.view(r.path("credential")))
        .does(r -> credentials.remove(r.path("credential"), r.by()));
    e.post(
            "/master-key",
            "Change the master key, and seal every secret with the new one",
            Need.KEEP)
        .gives(KeyChanged.class, r -> credentials.changeKey(r.by()));
    e.get("/sites", "List sites", Need.READ).lists(SiteView.class, r -> sites.list());
    e.post("/sites", "Add a site", Need.KEEP)
        .takes(SiteAdd.class)
        .creates(SiteView.class, (r, b) -> sites.add(b));
    e.get("/sites/{site}", "One site", Need.READ)
        .gives(SiteView.class, r -> sites.view(r.path("site")));
    e.delete("/sites/{site}", "Remove a site", Need.KEEP)
        .changes(r -> sites.view(r.path("site")))
        .does(r -> sites.remove(r.path("site")));
    e.put(
            "/sites/{site}/credentials",
            "Have a site try these credentials, in this order",
            Need.KEEP)
        .changes(r -> sites.view(r.path("site")))
        .takes(SiteCredentials.class)
        .gives(SiteView.class, (r, b) -> sites.credentials(r.path("site"), b, r.by()));
    e.post(
            "/sites/{site}/check",
            "Test reach, permissions, clock and version",
            Need.PLAN,
            Need.KEEP)
        .gives(SiteView.class, r -> sites.check(r.path("site")));
    e.get("/sites/{site}/leftovers", "Things of ours at a site", Need.READ)
        .lists(LeftoverView.class, r -> leftovers.list(r.path("site")));
    e.post("/sites/{site}/leftovers/removal", "Remove things that no service keeps", Need.KEEP)
        .takes(LeftoverRemove.class)
        .lists(LeftoverRemoval.class, (r, b) -> leftovers.remove(r.path("site"), b, r.by()));
  }
}
