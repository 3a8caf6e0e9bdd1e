package bargelane.service.adopt;

import bargelane.api.AdoptRequest;
import bargelane.api.AdoptionView;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;

/** Endpoints of what other services left at a site. */
public record AdoptApi(Adoption adoption) implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.get("/sites/{site}/adoption", "Waves of other services at a site", Need.KEEP)
        .heavy()
        .gives(AdoptionView.class, r -> adoption.look(r.path("site")));
    e.post("/sites/{site}/adoption", "Take waves of another service over", Need.KEEP)
        .heavy()
        .takes(AdoptRequest.class)
        .gives(AdoptionView.class, (r, b) -> adoption.adopt(r.path("site"), b, r.by()));
  }
}
