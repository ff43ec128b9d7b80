//! Standing orders, with what they did last.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::AllOrders;

use crate::http::Context;
use crate::http::language::retell;

/// The standing orders, with what they did last and when they act next
#[utoipa::path(get, path = "/orders", responses((status = 200, body = AllOrders)))]
pub(crate) async fn list(State(context): State<Arc<Context>>) -> axum::Json<AllOrders> {
    let mut orders = context.orders.list(&context.app);
    orders.iter_mut().for_each(|one| one.words = retell(&one.words));
    axum::Json(AllOrders { orders })
}
